using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>What full scale of a map stands for.</summary>
/// <param name="Map">The map.</param>
/// <param name="From">Value of black in each channel: metres, or 1/m for curvature.</param>
/// <param name="To">Value of white in each channel.</param>
/// <param name="Unit">m or 1/m.</param>
public sealed record MapScale(BakeMap Map, IReadOnlyList<float> From, IReadOnlyList<float> To, string Unit);

/// <summary>A map being filled: turns values into codes of the file asked for, dithered where that is asked for.</summary>
internal sealed class SheetMap
{
    // Half way between two codes. Rounding it always the same way, undithered, keeps flat surfaces flat.
    private const float Flat = 1e-4f;
    private const float GreatestPlace = 1e30f;

    private readonly BakeMap map;
    private readonly MapValues kind;
    private readonly int channels;
    private readonly bool dither;
    private readonly float greenSign;
    private readonly int largest;
    private readonly float range;
    private readonly Vector3 min, span;
    private readonly (byte R, byte G, byte B)[] colours;

    /// <summary>Makes an empty map.</summary>
    /// <param name="map">Which.</param>
    /// <param name="settings">File, bits, dither and scales.</param>
    /// <param name="size">Side, pixels.</param>
    /// <param name="bounds">Bounds positions are measured in.</param>
    /// <param name="colours">Colours of labels.</param>
    /// <param name="green">Direction of green, for vectors in tangent space.</param>
    public SheetMap(BakeMap map, BakeSettings settings, int size, Bounds bounds, (byte R, byte G, byte B)[] colours, GreenDirection green)
    {
        this.map = map;
        this.colours = colours;
        kind = map.Values;
        channels = map.Channels;
        var file = settings.FileOf(map);
        dither = settings.Dither && file is MapFile.Png8 or MapFile.Tga && kind != MapValues.Label;
        greenSign = map.IsTangent && green == GreenDirection.Down ? -1 : 1;
        largest = file == MapFile.Png16 ? ushort.MaxValue : byte.MaxValue;
        range = kind switch
        {
            MapValues.Curvature => 1 / MapScales.Metres(map, settings)!.Value,
            _ => MapScales.Metres(map, settings) ?? 1,
        };
        (min, span) = bounds.IsEmpty ? (Vector3.Zero, Vector3.One) : (bounds.Min, bounds.Size);
        HasAlpha = settings.CoverageAlpha;
        int stored = channels + (HasAlpha ? 1 : 0);
        Bitmap = file switch
        {
            MapFile.Png16 => new Bitmap16(size, size, stored),
            MapFile.Exr => new Bitmap32(size, size, stored),
            _ => new Bitmap8(size, size, stored),
        };
    }

    public Bitmap Bitmap { get; }

    public bool HasAlpha { get; }

    /// <summary>What full scale stands for; null where it is plain.</summary>
    public MapScale? Scale => kind switch
    {
        MapValues.Curvature => new MapScale(map, [map.IsSigned ? -range : 0], [range], "1/m"),
        MapValues.Length => new MapScale(map, [0], [range], "m"),
        MapValues.Offset => new MapScale(map, [-range], [range], "m"),
        MapValues.Position => new MapScale(map, [min.X, min.Y, min.Z], [min.X + span.X, min.Y + span.Y, min.Z + span.Z], "m"),
        _ => null,
    };

    /// <summary>Stores a texel.</summary>
    /// <param name="x">Pixels from the left.</param>
    /// <param name="y">Pixels from the top.</param>
    /// <param name="values">Kept values: units of the map, for colours encoded shares.</param>
    /// <param name="coverage">Share of its samples inside.</param>
    public void Set(int x, int y, ReadOnlySpan<float> values, float coverage)
    {
        int at = (y * Bitmap.Width + x) * Bitmap.Channels;
        for (int c = 0; c < channels; c++)
        {
            if (Bitmap is Bitmap32 real)
                real.Pixels[at + c] = InUnits(values, c);
            else
                Store(at + c, Code(values, c, dither ? BlueNoise.Offset(x, y, c) : 0));
        }
        if (!HasAlpha)
            return;
        if (Bitmap is Bitmap32 wide)
            wide.Pixels[at + channels] = coverage;
        else
            Store(at + channels, (int)(coverage * largest + 0.5f));
    }

    /// <summary>Copies texels into the room around islands; their alpha stays empty.</summary>
    public void Pad(int[] sources, int threads, CancellationToken cancel)
    {
        switch (Bitmap)
        {
            case Bitmap8 b:
                Pad(sources, b.Pixels, threads, cancel);
                break;
            case Bitmap16 b:
                Pad(sources, b.Pixels, threads, cancel);
                break;
            case Bitmap32 b:
                Pad(sources, b.Pixels, threads, cancel);
                break;
        }
    }

    private void Pad<T>(int[] sources, T[] pixels, int threads, CancellationToken cancel)
    {
        SheetPadding.Apply(sources, pixels, Bitmap.Channels, threads, cancel);
        if (!HasAlpha)
            return;
        for (int at = 0; at < sources.Length; at++)
        {
            if (sources[at] >= 0 && sources[at] != at)
                pixels[(at * Bitmap.Channels) + channels] = default!;
        }
    }

    private int Code(ReadOnlySpan<float> values, int channel, float offset)
    {
        if (kind == MapValues.Vector)
            return NormalEncoding.Encode(values[channel] * (channel == 1 ? greenSign : 1), largest, offset);
        if (kind == MapValues.Label)
            return Colour(values[0], channel) * (largest / 255);
        float value = InUnits(values, channel);
        if (map.IsSigned && MathF.Abs(value) < Flat * range)
            return (largest + 1) / 2;
        float share = kind switch
        {
            MapValues.Position => span[channel] > 0 ? (Math.Clamp(value, -GreatestPlace, GreatestPlace) - min[channel]) / span[channel] : 0,
            MapValues.Colour => values[channel],
            _ when map.IsSigned => 0.5f + 0.5f * value / range,
            MapValues.Share => value,
            _ => value / range,
        };
        return Math.Clamp((int)MathF.Floor(Math.Clamp(share, 0, 1) * largest + offset + 0.5f), 0, largest);
    }

    /// <summary>A channel in the map's own units, as floating point stores it.</summary>
    private float InUnits(ReadOnlySpan<float> values, int channel) => kind switch
    {
        MapValues.Vector => values[channel] * (channel == 1 ? greenSign : 1),
        MapValues.Colour => Srgb.ToLinear(values[channel]),
        MapValues.Label => Srgb.ToLinear((byte)Colour(values[0], channel)),
        _ => map.Shown is { } shown ? shown(values[channel]) : values[channel],
    };

    private int Colour(float label, int channel)
    {
        if (label < 0)
            return 0;
        var (r, g, b) = colours.Length > 0 ? colours[(int)label] : ((byte)((int)label >> 16), (byte)((int)label >> 8), (byte)(int)label);
        return channel switch { 0 => r, 1 => g, _ => b };
    }

    private void Store(int at, int code)
    {
        if (Bitmap is Bitmap8 narrow)
            narrow.Pixels[at] = (byte)code;
        else
            ((Bitmap16)Bitmap).Pixels[at] = (ushort)code;
    }
}
