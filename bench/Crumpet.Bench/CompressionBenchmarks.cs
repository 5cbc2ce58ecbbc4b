using BenchmarkDotNet.Attributes;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;

namespace Crumpet.Bench;

/// <summary>Block encoders on a picture with gradients, edges and noise; one operation is a million texels.</summary>
[ShortRunJob]
public class CompressionBenchmarks
{
    private readonly Bitmap8 picture = Make();

    /// <summary>Format to encode.</summary>
    [Params("bc1", "bc4", "bc5", "bc7")]
    public string Format { get; set; } = "";

    /// <summary>Threads to use.</summary>
    [Params(1, 2)]
    public int Threads { get; set; }

    /// <summary>Encodes 1024 × 1024 texels.</summary>
    [Benchmark]
    public byte[] Encode() => BlockCodec.Encode(picture, TextureFormat.Table.Of(Format), threads: Threads);

    private static Bitmap8 Make()
    {
        var result = new Bitmap8(1024, 1024, 4);
        for (int i = 0; i < 1024 * 1024; i++)
        {
            double u = i % 1024 / 1024.0, v = i / 1024 / 1024.0, edge = (int)(u * 23 + v * 17) % 3 * 40;
            double noise = Hash.ToUnit(Hash.Mix((uint)i)) * 10;
            result.Pixels[4 * i] = (byte)(60 + 90 * u + edge + noise);
            result.Pixels[4 * i + 1] = (byte)(70 + 60 * Math.Sin(v * 30) + noise);
            result.Pixels[4 * i + 2] = (byte)(180 - 80 * u * v - edge / 2 + noise);
            result.Pixels[4 * i + 3] = 255;
        }
        return result;
    }
}
