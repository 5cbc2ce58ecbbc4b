using System.Numerics;
using BenchmarkDotNet.Attributes;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Bench;

/// <summary>What the server prepares for the viewers: a preview of two million triangles, tiles of a sheet.</summary>
[MemoryDiagnoser]
public class ViewerBenchmarks
{
    private PreviewObject[] dense = [];
    private Bitmap16 sheet = new(1, 1, 3);

    /// <summary>Side of the sheet, pixels.</summary>
    [Params(2048, 8192)]
    public int SheetSize { get; set; }

    /// <summary>Makes the inputs.</summary>
    [GlobalSetup]
    public void Make()
    {
        const int across = 1000;
        var positions = new Vector3[(across + 1) * (across + 1)];
        for (int i = 0; i < positions.Length; i++)
        {
            float x = i % (across + 1) / (float)across, z = i / (across + 1) / (float)across;
            positions[i] = new Vector3(x, 0.02f * MathF.Sin(90 * x) * MathF.Sin(70 * z), -z);
        }
        int[] corners = [.. Enumerable.Range(0, across * across).SelectMany(i =>
        {
            int a = i / across * (across + 1) + i % across, b = a + 1, c = b + across + 1, d = a + across + 1;
            return new[] { a, b, c, a, c, d };
        })];
        var mesh = new Mesh { Name = "marsh_high", Positions = positions, Corners = corners, TriangleMaterials = new int[corners.Length / 3] };
        dense = [new PreviewObject(mesh, "marsh", Vector3.Zero)];
        sheet = new Bitmap16(SheetSize, SheetSize, 3);
        for (int i = 0; i < sheet.Pixels.Length; i++)
            sheet.Pixels[i] = (ushort)(32768 + 9000 * MathF.Sin(i * 0.0003f) + (Hash.Mix((uint)i) >> 24));
    }

    /// <summary>Levels of detail and compact vertices of two million triangles.</summary>
    [Benchmark]
    public int Preview() => StagePreview.Write(dense, [Material.Plain], dense[0].Mesh.Bounds(), isBakedOnto: false, Environment.ProcessorCount).Length;

    /// <summary>All tiles of a sheet of 16 bits, and its histogram.</summary>
    [Benchmark]
    public int Tiles()
    {
        using var stream = new MemoryStream();
        return TilePyramid.Write(sheet, srgb: false, stream, Environment.ProcessorCount, null, CancellationToken.None).Levels.Count;
    }
}
