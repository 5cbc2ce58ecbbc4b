using System.Collections.Concurrent;
using System.Numerics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>One way to spend the 128 bits of a block: parts, channels of their ends, grid of weights and its range, and what is left for ends.</summary>
internal sealed class AstcPlan
{
    private static readonly ConcurrentDictionary<(int Width, int Height, Effort Effort), AstcPlan[]> Made = new();

    /// <summary>Lines in a block: 1 or 2.</summary>
    public required int Parts { get; init; }

    /// <summary>3, or 4 with alpha.</summary>
    public required int Channels { get; init; }

    /// <summary>Whether the first end is the second made darker: four numbers instead of six.</summary>
    public required bool IsScaled { get; init; }

    /// <summary>Whether ends are grey: two numbers a line.</summary>
    public bool IsGrey { get; init; }

    /// <summary>Number of the kind of ends.</summary>
    public int Kind => IsGrey ? 0 : IsScaled ? 6 : Channels == 3 ? 8 : 12;

    /// <summary>Grid and range of weights.</summary>
    public required AstcMode Mode { get; init; }

    /// <summary>Number of the mode, as the format counts them.</summary>
    public required int Number { get; init; }

    /// <summary>Range of the ends' channels: the finest that fits, as decoders reckon it.</summary>
    public required AstcRange Colours { get; init; }

    /// <summary>How weights are spread.</summary>
    public required AstcInfill Infill { get; init; }

    /// <summary>For each value from 0 to 255 the nearest that the range can say.</summary>
    public required float[] Nearest { get; init; }

    /// <summary>For each value that the range can say its code.</summary>
    public required byte[] Codes { get; init; }

    /// <summary>Codes of weights in their order.</summary>
    public required byte[] WeightCodes { get; init; }

    /// <summary>The plans of a footprint worth trying, the likeliest first.</summary>
    /// <param name="width">Texels across.</param>
    /// <param name="height">Texels down.</param>
    /// <param name="effort">How long may be searched.</param>
    public static AstcPlan[] For(int width, int height, Effort effort) => Made.GetOrAdd((width, height, effort), f => Make(f.Width, f.Height, f.Effort));

    /// <summary>The plans of UASTC worth trying.</summary>
    /// <param name="effort">How long may be searched.</param>
    public static AstcPlan[] ForUastc(Effort effort) => Made.GetOrAdd((0, 0, effort), _ =>
    {
        int[] numbers = effort switch
        {
            Effort.Draft => [0, 10, 12],
            Effort.Normal => [0, 18, 5, 6, 2, 4, 10, 12, 11, 9],
            _ => [0, 18, 5, 1, 6, 2, 4, 10, 12, 14, 11, 13, 9],
        };
        var infill = new AstcInfill(4, 4, 4, 4);
        return [.. numbers.Select(n => UastcTables.Modes[n]).Select(m =>
            Of(m.Parts, m.Channels, false, new AstcMode(4, 4, m.Weights, m.Planes == 2), m.Number, m.Colours, infill))];
    });

    private static AstcPlan Of(int parts, int channels, bool scaled, AstcMode mode, int number, AstcRange colours, AstcInfill infill,
        bool grey = false)
    {
        byte[] values = AstcTables.ColourValues(colours), weights = AstcTables.WeightValues(mode.Range);
        return new AstcPlan
        {
            Parts = parts,
            Channels = channels,
            IsScaled = scaled,
            IsGrey = grey,
            Mode = mode,
            Number = number,
            Colours = colours,
            Infill = infill,
            Nearest = [.. Enumerable.Range(0, 256).Select(v => (float)values.MinBy(o => Math.Abs(o - v)))],
            Codes = [.. Enumerable.Range(0, 256).Select(v => (byte)Math.Max(0, Array.IndexOf(values, (byte)v)))],
            WeightCodes = [.. Enumerable.Range(0, mode.Range.Levels).OrderBy(code => weights[code]).Select(code => (byte)code)],
        };
    }

    private static AstcPlan[] Make(int width, int height, Effort effort)
    {
        var infills = new Dictionary<(int, int), AstcInfill>();
        var plans = new List<AstcPlan>();
        foreach (var (parts, planes, grid, levels) in Wanted(width, height, effort))
        {
            foreach (var (channels, scaled, grey) in ((int, bool, bool)[])[(3, false, false), (3, true, false), (4, false, false), (3, false, true)])
            {
                if (scaled && (planes == 2 || effort == Effort.Draft) || (grey ? planes == 2 || !IsLikelyGrey(parts, grid.Width * grid.Height, levels, effort)
                    : !IsLikely(parts, planes, scaled, grid.Width * grid.Height, levels, effort)))
                    continue;
                var range = AstcTables.WeightRanges.First(r => r.Levels == levels);
                var mode = new AstcMode(grid.Width, grid.Height, range, planes == 2);
                int number = mode.Number(), start = parts == 1 ? 17 : 29, count = (grey ? 2 : scaled ? 4 : 2 * channels) * parts;
                int left = 128 - start - (planes == 2 ? 2 : 0) - range.BitsOf(mode.Weights);
                if (number < 0 || AstcTables.Finest(count, left) is not { } colours)
                    continue;
                if (!infills.TryGetValue(grid, out var infill))
                    infills[grid] = infill = new AstcInfill(width, height, grid.Width, grid.Height);
                plans.Add(Of(parts, channels, scaled, mode, number, colours, infill, grey));
            }
        }
        return [.. plans];
    }

    private static IEnumerable<(int Parts, int Planes, (int Width, int Height) Grid, int Levels)> Wanted(int width, int height, Effort effort)
    {
        bool isBest = effort == Effort.Best;
        // Grids from whole to coarse; a large block has more texels than its bits have steps for.
        (int, int)[] grids = (width, height) switch
        {
            (4, 4) => [(4, 4)],
            (5, 5) => isBest ? [(5, 5), (4, 4), (5, 4), (4, 5), (5, 3), (3, 5)] : [(5, 5), (5, 4), (4, 5), (4, 4)],
            (6, 6) => isBest ? [(6, 6), (5, 5), (4, 4), (6, 5), (5, 6), (6, 4), (4, 6), (5, 4), (4, 5), (6, 3), (3, 6)]
                : [(6, 6), (5, 5), (5, 6), (6, 5), (4, 6), (6, 4), (3, 6), (6, 3)],
            _ => isBest ? [(8, 8), (6, 6), (5, 5), (4, 4), (8, 5), (5, 8), (6, 5), (5, 6), (6, 4), (4, 6), (8, 4), (4, 8)]
                : [(6, 6), (5, 5), (8, 4), (4, 8), (4, 6), (6, 4)],
        };
        if (effort == Effort.Draft)
            grids = [.. grids.Take(2)];
        int[] every = [.. AstcTables.WeightRanges.Where(r => r.Levels > 0).Select(r => r.Levels)];
        foreach (var grid in grids)
            foreach (var (parts, planes) in ((int, int)[])[(1, 1), (2, 1), (1, 2)])
                foreach (int levels in every)
                    yield return (parts, planes, grid, levels);
    }

    // Two numbers a line leave most of the block to weights.
    private static bool IsLikelyGrey(int parts, int weights, int levels, Effort effort)
    {
        int bits = AstcTables.WeightRanges.First(r => r.Levels == levels).BitsOf(weights), few = effort == Effort.Best ? 12 : 0;
        return parts == 1 ? bits >= 72 - few : effort != Effort.Draft && bits >= 56 - few;
    }

    // Bits that weights take of those plans that win often: few with six numbers a line, more where an end takes but one.
    private static bool IsLikely(int parts, int planes, bool scaled, int weights, int levels, Effort effort)
    {
        int bits = AstcTables.WeightRanges.First(r => r.Levels == levels).BitsOf(weights * planes);
        if (effort == Effort.Best)
            return parts == 2 ? bits is >= 26 and <= 62 : planes == 2 ? bits is >= 36 and <= 84 : bits is >= 30 and <= 88;
        if (planes == 2)
            return effort != Effort.Draft && bits is >= 50 and <= 76;
        if (parts == 2)
            return effort != Effort.Draft && (scaled ? bits is >= 38 and <= 58 : bits >= 26 && bits <= (weights == 16 ? 48 : 42));
        return weights == 16 ? scaled ? bits >= 80 : bits is >= 57 and <= 74 : scaled ? bits is >= 76 and <= 86 : bits is >= 56 and <= 76;
    }
}

/// <summary>The two-part partitions of a footprint that are tried: those nearest to a straight cut.</summary>
internal sealed class AstcSeeds
{
    private const int Directions = 16, Most = 64;

    private static readonly ConcurrentDictionary<(int Width, int Height), AstcSeeds> Made = new();

    /// <summary>Those UASTC can say with few bits.</summary>
    public static AstcSeeds ForUastc { get; } = new(UastcTables.Two);

    /// <summary>Those of a footprint.</summary>
    public static AstcSeeds For(int width, int height) => Made.GetOrAdd((width, height), f => new AstcSeeds(f.Width, f.Height));

    /// <summary>Numbers of the partitions.</summary>
    public int[] Seeds { get; }

    /// <summary>For each of them, which texels are of the second part.</summary>
    public ulong[] Masks { get; }

    private AstcSeeds(int[] seeds)
    {
        Seeds = seeds;
        Masks = [.. seeds.Select(seed => Mask(seed, 4, 4))];
    }

    private AstcSeeds(int width, int height)
    {
        int texels = width * height;
        ulong all = texels == 64 ? ulong.MaxValue : (1UL << texels) - 1;
        var known = new Dictionary<ulong, int>();
        for (int seed = 0; seed < 1024; seed++)
        {
            ulong mask = Mask(seed, width, height);
            if (mask != 0 && mask != all)
                known.TryAdd(mask, seed);
        }
        var chosen = new List<(int Seed, ulong Mask)>();
        foreach (ulong cut in Cuts(width, height))
        {
            var (mask, seed) = known.Select(k => (k.Key, k.Value))
                .MinBy(k => (Math.Min(BitOperations.PopCount(k.Key ^ cut), BitOperations.PopCount(k.Key ^ cut ^ all)), k.Value));
            if (chosen.Count < Most && !chosen.Any(c => c.Mask == mask || c.Mask == (mask ^ all)))
                chosen.Add((seed, mask));
        }
        Seeds = [.. chosen.Select(c => c.Seed)];
        Masks = [.. chosen.Select(c => c.Mask)];
    }

    private static ulong Mask(int seed, int width, int height)
    {
        ulong mask = 0;
        for (int i = 0; i < width * height; i++)
            if (AstcTables.Part(seed, i % width, i / width, 2, width * height < 31) == 1)
                mask |= 1UL << i;
        return mask;
    }

    private static IEnumerable<ulong> Cuts(int width, int height)
    {
        foreach (double offset in (double[])[0, 0.2, -0.2, 0.34, -0.34, 0.1, -0.1])
        {
            for (int direction = 0; direction < Directions; direction++)
            {
                double angle = Math.PI * direction / Directions;
                ulong mask = 0;
                for (int i = 0; i < width * height; i++)
                {
                    double x = (i % width + 0.5) / width - 0.5, y = (i / width + 0.5) / height - 0.5;
                    if (x * Math.Cos(angle) + y * Math.Sin(angle) > offset)
                        mask |= 1UL << i;
                }
                if (mask != 0)
                    yield return mask;
            }
        }
    }
}
