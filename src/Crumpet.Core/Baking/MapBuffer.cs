using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Baking;

/// <summary>A map being filled: encodes and dithers values at the depth asked for.</summary>
internal sealed class MapBuffer
{
    private readonly Bitmap8? narrow;
    private readonly Bitmap16? wide;
    private readonly int largest;
    private readonly bool dither;
    private readonly float greenSign;

    public MapBuffer(BakeSettings settings, int channels)
    {
        dither = settings.Dither && settings.Bits == 8;
        greenSign = settings.Green == GreenDirection.Up ? 1 : -1;
        largest = settings.Bits == 8 ? 255 : 65535;
        if (settings.Bits == 8)
            narrow = new Bitmap8(settings.Size, settings.Size, channels);
        else
            wide = new Bitmap16(settings.Size, settings.Size, channels);
    }

    public Bitmap Bitmap => (Bitmap?)narrow ?? wide!;

    public void SetNormal(int x, int y, Vector3 normal)
    {
        Store(x, y, 0, NormalEncoding.Encode(normal.X, largest, Offset(x, y, 0)));
        Store(x, y, 1, NormalEncoding.Encode(normal.Y * greenSign, largest, Offset(x, y, 1)));
        Store(x, y, 2, NormalEncoding.Encode(normal.Z, largest, Offset(x, y, 2)));
    }

    public void SetUnit(int x, int y, float value) =>
        Store(x, y, 0, Math.Clamp((int)MathF.Floor(value * largest + Offset(x, y, 0) + 0.5f), 0, largest));

    public void FillWithNormal(Vector3 normal)
    {
        for (int y = 0; y < Bitmap.Height; y++)
            for (int x = 0; x < Bitmap.Width; x++)
                SetNormal(x, y, normal);
    }

    public void FillWithUnit(float value)
    {
        for (int y = 0; y < Bitmap.Height; y++)
            for (int x = 0; x < Bitmap.Width; x++)
                SetUnit(x, y, value);
    }

    public void Pad(int[] sources)
    {
        if (narrow is not null)
            SheetPadding.Apply(sources, narrow.Pixels, narrow.Channels);
        else
            SheetPadding.Apply(sources, wide!.Pixels, wide.Channels);
    }

    private float Offset(int x, int y, int channel) => dither ? BlueNoise.Offset(x, y, channel) : 0;

    private void Store(int x, int y, int channel, int code)
    {
        int at = (y * Bitmap.Width + x) * Bitmap.Channels + channel;
        if (narrow is not null)
            narrow.Pixels[at] = (byte)code;
        else
            wide!.Pixels[at] = (ushort)code;
    }
}
