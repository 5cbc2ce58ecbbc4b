using System.Globalization;

namespace Crumpet.Core.Bake;

/// <summary>How far from 0 the values of a map lie: how many texels in each eighth of an octave.</summary>
/// <param name="Greatest">The greatest, in the map's units.</param>
/// <param name="Texels">Texels by the number of their step; what is as good as 0 is in <see cref="Nothing"/>.</param>
public sealed record MapSpread(float Greatest, IReadOnlyDictionary<int, int> Texels)
{
    /// <summary>The step of what is as good as 0.</summary>
    public const int Nothing = -1000;

    private const int StepsInOctave = 8;
    private const float LeastValue = 1e-9f;

    /// <summary>Counts values.</summary>
    /// <param name="blocks">Values of tiles, in the map's units.</param>
    internal static MapSpread Of(IEnumerable<float[]> blocks)
    {
        float greatest = 0;
        var texels = new SortedDictionary<int, int>();
        foreach (float[] block in blocks)
        {
            foreach (float value in block)
            {
                float size = MathF.Abs(value);
                if (!float.IsFinite(size))
                    continue;
                greatest = MathF.Max(greatest, size);
                int step = size < LeastValue ? Nothing : (int)MathF.Floor(MathF.Log2(size) * StepsInOctave);
                texels[step] = texels.GetValueOrDefault(step) + 1;
            }
        }
        return new MapSpread(greatest, texels);
    }

    /// <summary>Several together.</summary>
    public static MapSpread Sum(IEnumerable<MapSpread?> spreads)
    {
        float greatest = 0;
        var texels = new SortedDictionary<int, int>();
        foreach (var spread in spreads.OfType<MapSpread>())
        {
            greatest = MathF.Max(greatest, spread.Greatest);
            foreach (var (step, count) in spread.Texels)
                texels[step] = texels.GetValueOrDefault(step) + count;
        }
        return new MapSpread(greatest, texels);
    }

    /// <summary>A value that at least this share of the texels stay at or below; 0 where there are none.</summary>
    /// <param name="share">0 to 1.</param>
    public float Below(double share)
    {
        long all = Texels.Values.Sum(c => (long)c), sum = 0;
        foreach (var (step, count) in Texels.OrderBy(t => t.Key))
        {
            sum += count;
            if (sum >= share * all)
                return step == Nothing ? 0 : MathF.Min(Greatest, MathF.Pow(2, (step + 1f) / StepsInOctave));
        }
        return 0;
    }
}

/// <summary>What full scale of maps stands for: as it is set, or as their values fill it.</summary>
internal static class MapScales
{
    // A few texels at a sharp edge would leave all others nothing of the scale.
    private const double CurvatureShown = 0.98;
    private const double ThicknessShown = 0.995;
    private const double MostlyShown = 0.9;
    private const float Unused = 0.1f;
    private const float FlatMetres = 1e-3f;

    /// <summary>Whether a map's full scale stands for a length.</summary>
    public static bool Asks(BakeMap map) => map.Values is MapValues.Length or MapValues.Offset or MapValues.Curvature;

    /// <summary>What full scale stands for, metres: thickness, height, or the radius whose curvature is white; null where it is plain or not set.</summary>
    public static float? Metres(BakeMap map, BakeSettings settings) => map.Values switch
    {
        MapValues.Length => settings.ThicknessRangeMetres,
        MapValues.Offset => settings.HeightRangeMetres > 0 ? settings.HeightRangeMetres : null,
        MapValues.Curvature => settings.CurvatureFullRadiusMetres,
        _ => null,
    };

    /// <summary>What full scale stands for so that a map's values fill it, metres.</summary>
    public static float Fitting(BakeMap map, MapSpread spread) => map.Values switch
    {
        // Nothing there at all: any scale shows it.
        _ when spread.Greatest <= 0 => FlatMetres,
        MapValues.Offset => spread.Greatest,
        MapValues.Curvature => Within(Lengths.RoundedDown(1 / MathF.Max(spread.Below(CurvatureShown), spread.Greatest * 1e-3f))),
        _ => Within(Lengths.RoundedUp(spread.Below(ThicknessShown))),
    };

    /// <summary>Settings with every scale that is not set as maps fill it.</summary>
    /// <param name="settings">What is set.</param>
    /// <param name="spreadOf">How a map's values are spread over the asset.</param>
    public static BakeSettings Fitted(BakeSettings settings, Func<BakeMap, MapSpread> spreadOf)
    {
        foreach (var map in settings.Maps.Where(m => Asks(m) && Metres(m, settings) is null))
        {
            float metres = Fitting(map, spreadOf(map));
            settings = map.Values switch
            {
                MapValues.Length => settings with { ThicknessRangeMetres = metres },
                MapValues.Offset => settings with { HeightRangeMetres = metres },
                _ => settings with { CurvatureFullRadiusMetres = metres },
            };
        }
        return settings;
    }

    /// <summary>Settings that leave a map's scale to its values.</summary>
    public static BakeSettings Unset(BakeMap map, BakeSettings settings) => map.Values switch
    {
        MapValues.Length => settings with { ThicknessRangeMetres = null },
        MapValues.Offset => settings with { HeightRangeMetres = 0 },
        MapValues.Curvature => settings with { CurvatureFullRadiusMetres = null },
        _ => settings,
    };

    /// <summary>What is wrong with a scale that was set; null where its map uses it well.</summary>
    /// <param name="map">The map.</param>
    /// <param name="metres">The scale, metres.</param>
    /// <param name="spread">How the map's values are spread.</param>
    public static Finding? Judge(BakeMap map, float metres, MapSpread spread)
    {
        bool isCurvature = map.Values == MapValues.Curvature;
        float full = isCurvature ? 1 / metres : metres;
        float most = spread.Below(isCurvature ? CurvatureShown : ThicknessShown) / full, nearlyAll = spread.Below(MostlyShown) / full;
        if (spread.Greatest <= 0 || (most >= Unused && nearlyAll <= 1))
            return null;
        string label = char.ToUpperInvariant(map.Label[0]) + map.Label[1..], scale = isCurvature ? "radius" : "range";
        string cure = $"a {scale} of {Lengths.Millimetres(Fitting(map, spread))} would show all of it.";
        string sentence = most < Unused
            ? string.Create(CultureInfo.InvariantCulture, $"{label} uses {100 * most:0.#} % of its scale, a {scale} of {Lengths.Millimetres(metres)}; {cure}")
            : $"More than a tenth of the texels of {map.Label} lie beyond its scale, a {scale} of {Lengths.Millimetres(metres)}; {cure}";
        var mend = new FitScale(map);
        return new Finding(Severity.Note, most < Unused ? "scale-unused" : "scale-short", map.Label, sentence) { Mends = [new(mend.Words(), false, mend)] };
    }

    private static float Within(float metres) => Math.Clamp(metres, 1e-6f, 1000);
}
