using System.Numerics;
using System.Runtime.InteropServices;
using Crumpet.Core.Imaging;
using ZstdSharp;

namespace Crumpet.Core.Bake;

/// <summary>One row of an ID map's legend.</summary>
/// <param name="Label">What the colour stands for.</param>
/// <param name="Colour">Its colour as <c>#rrggbb</c>.</param>
/// <param name="Texels">Texels that show it, padding left out.</param>
public sealed record LegendRow(string Label, string Colour, int Texels);

/// <summary>Names and colours of ID maps.</summary>
internal static class IdLabels
{
    /// <summary>Renumbers a part's labels so that it holds only its own, by name: the same whatever else was baked with it.</summary>
    public static PartMap Own(PartMap map, CoverTile[] cover, IReadOnlyList<string> labels)
    {
        using var decompressor = new Decompressor();
        using var compressor = PieceFile.Compressor();
        var values = new float[map.Blocks.Length][];
        var used = new SortedSet<string>(StringComparer.Ordinal);
        for (int i = 0; i < values.Length; i++)
        {
            values[i] = new float[cover[i].Texels.Length];
            PieceFile.Unpack(decompressor, map.Blocks[i], MemoryMarshal.AsBytes(values[i].AsSpan()));
            foreach (float value in values[i].Distinct().Where(v => v >= 0))
                used.Add(labels[(int)value]);
        }
        string[] own = [.. used];
        var numbers = own.Select((label, i) => (label, i)).ToDictionary(p => p.label, p => p.i, StringComparer.Ordinal);
        foreach (float[] tile in values)
        {
            for (int i = 0; i < tile.Length; i++)
                tile[i] = tile[i] < 0 ? tile[i] : numbers[labels[(int)tile[i]]];
        }
        return map with { Blocks = [.. values.Select(v => PieceFile.Pack(compressor, MemoryMarshal.AsBytes(v.AsSpan())))], Labels = own };
    }

    /// <summary>Colours as far apart as so many can be, the same for the same count. None is near black, which is where nothing is.</summary>
    /// <remarks>
    /// Each is the farthest from those before it, of a lattice in Oklab. Source: B. Ottosson, "A perceptual color space for image
    /// processing", 2020.
    /// </remarks>
    public static (byte R, byte G, byte B)[] Colours(int count)
    {
        const int Steps = 17;
        var lattice = new List<((byte, byte, byte) Code, Vector3 Lab)>();
        for (int i = 0; i < Steps * Steps * Steps; i++)
        {
            (byte, byte, byte) code = (Code(i % Steps), Code(i / Steps % Steps), Code(i / Steps / Steps));
            lattice.Add((code, Oklab(code)));
        }
        var nearest = lattice.Select(l => Vector3.DistanceSquared(l.Lab, Vector3.Zero)).ToArray();
        var chosen = new (byte, byte, byte)[count];
        for (int n = 0; n < count; n++)
        {
            // When the lattice is used up it begins again; more colours than that cannot be told apart anyway.
            int best = 0;
            for (int i = 1; i < nearest.Length; i++)
            {
                if (nearest[i] > nearest[best])
                    best = i;
            }
            if (nearest[best] <= 0)
            {
                chosen[n] = chosen[n - lattice.Count + 1];
                continue;
            }
            chosen[n] = lattice[best].Code;
            for (int i = 0; i < nearest.Length; i++)
                nearest[i] = MathF.Min(nearest[i], Vector3.DistanceSquared(lattice[i].Lab, lattice[best].Lab));
        }
        return chosen;

        static byte Code(int step) => (byte)(step * 255 / (Steps - 1));
    }

    private static Vector3 Oklab((byte R, byte G, byte B) code)
    {
        float r = Srgb.ToLinear(code.R), g = Srgb.ToLinear(code.G), b = Srgb.ToLinear(code.B);
        float l = MathF.Cbrt(0.4122214708f * r + 0.5363325363f * g + 0.0514459929f * b);
        float m = MathF.Cbrt(0.2119034982f * r + 0.6806995451f * g + 0.1073969566f * b);
        float s = MathF.Cbrt(0.0883024619f * r + 0.2817188376f * g + 0.6299787005f * b);
        return new Vector3(
            0.2104542553f * l + 0.7936177850f * m - 0.0040720468f * s,
            1.9779984951f * l - 2.4285922050f * m + 0.4505937099f * s,
            0.0259040371f * l + 0.7827717662f * m - 0.8086757660f * s);
    }
}
