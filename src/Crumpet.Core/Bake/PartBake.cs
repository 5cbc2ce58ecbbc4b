using System.Collections.Concurrent;
using System.Numerics;
using System.Runtime.InteropServices;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Tracing;
using ZstdSharp;

namespace Crumpet.Core.Bake;

/// <summary>What a bake of one part sees.</summary>
/// <param name="Part">Number of the part.</param>
/// <param name="Low">Its low triangles.</param>
/// <param name="High">High objects its rays can meet.</param>
/// <param name="Occluders">What blocks its light; null where no map asks.</param>
/// <param name="Own">Its own high side; null until something asks.</param>
internal sealed record PartScene(int Part, LowSurface Low, HighSurface High, HighSurface? Occluders, Func<HighSurface> Own);

/// <summary>Bakes one part onto one sheet, tile by tile. A tile's result depends on nothing but its input.</summary>
internal sealed class PartBake
{
    // Normals that turn by more than this within a texel, root mean square, are detail the texels cannot hold.
    private const float CoarseRadians = 0.44f;
    private const int Side = SampleRaster.TileSide;

    private readonly BakeInput input;
    private readonly BakeSettings settings;
    private readonly PartScene scene;
    private readonly BakeMap[] maps;
    private readonly bool[] countsMisses;
    private readonly SampleRaster raster;
    private readonly int size;
    private readonly int samples;
    private readonly int[] fromMiddle;
    private readonly float outward;
    private readonly bool hasCage;
    private readonly bool missesAreHoles;
    private readonly NearestHigh near;
    private readonly ConcurrentDictionary<int, TileResult> done = new();

    public PartBake(BakeInput input, BakeSettings settings, PartScene scene, IReadOnlyList<BakeMap> maps, HighAttributes attributes, int size)
    {
        this.input = input;
        this.settings = settings;
        this.scene = scene;
        // Arrays, found once: nothing is allocated for a texel.
        this.maps = [.. maps];
        countsMisses = [.. maps.Select(m => m.CountsMisses(settings))];
        Attributes = attributes;
        this.size = size;
        var part = input.Parts[scene.Part];
        Light = new LightRays(settings, part.OcclusionRangeMetres ?? 0, part.HighBounds.Size.Length(), input.Bounds.Min.Y);
        raster = new SampleRaster(scene.Low.Texels, size, settings.SamplesBaked, settings.Filter);
        samples = settings.SamplesBaked * settings.SamplesBaked;
        fromMiddle = raster.FromMiddle();
        outward = part.OutwardReachMetres ?? 0;
        near = new NearestHigh(part, scene);
        hasCage = part.Rays?.Any(r => r.Cage is not null) == true;
        missesAreHoles = settings.Maps.Any(m => m.CountsMisses(settings));
        Tiles = [.. Enumerable.Range(0, raster.TileCount).Where(t => !raster.IsEmpty(t))];
    }

    /// <summary>Tiles some triangle comes near.</summary>
    public IReadOnlyList<int> Tiles { get; }

    /// <summary>What it is asked to do.</summary>
    public BakeSettings Settings => settings;

    /// <summary>What it sees.</summary>
    public PartScene Scene => scene;

    /// <summary>What the high side attributes like.</summary>
    public HighAttributes Attributes { get; }

    /// <summary>Rays over hemispheres.</summary>
    public LightRays Light { get; }

    /// <summary>Rays each sample of a texel casts.</summary>
    /// <param name="texel">Rays a texel was given.</param>
    public int RaysASample(int texel) => Math.Max(1, settings.RaysBaked(texel) / samples);

    /// <summary>Arrays one thread fills again and again.</summary>
    internal sealed class Scratch(int samples) : IDisposable
    {
        public readonly int[] Owner = new int[Side * Side * samples];
        public readonly bool[] Overlapped = new bool[Side * Side * samples];
        public readonly int[] Texels = new int[Side * Side];
        public readonly byte[] Samples = new byte[Side * Side], Hits = new byte[Side * Side], Faults = new byte[Side * Side];
        public readonly float[][] Values = [.. BakeMaps.All.Select(_ => new float[Side * Side * 3])];
        public readonly ushort[] Shares = new ushort[Side * Side * 3];
        public readonly SampleSums Sums = new();
        public readonly Compressor Compressor = PieceFile.Compressor();

        public void Dispose() => Compressor.Dispose();
    }

    /// <summary>What the samples of a texel add up to.</summary>
    internal sealed class SampleSums
    {
        public readonly Vector3[] OfMaps = new Vector3[BakeMaps.All.Count];
        public Vector3 Normal, Point;
        public int Hits;
    }

    private sealed record TileResult(CoverTile Cover, byte[][] Blocks, IReadOnlyList<FaultTexel> Faults, Guides? Guides, long Rays, long LightRays,
        long ThicknessRays);

    /// <summary>What the smoothing goes by, a value a covered texel.</summary>
    internal sealed record Guides(uint[] Normals, Vector3[] Places);

    /// <summary>Bakes one tile.</summary>
    /// <param name="tile">Its number.</param>
    /// <param name="scratch">The thread's arrays.</param>
    /// <param name="rowDone">Told after each of its <see cref="SampleRaster.TileSide"/> rows.</param>
    /// <param name="cancel">Ends the work within a row.</param>
    public void BakeTile(int tile, Scratch scratch, Action rowDone, CancellationToken cancel)
    {
        raster.Fill(tile, scratch.Owner, scratch.Overlapped);
        var (left, top) = raster.Corner(tile);
        int right = Math.Min(left + Side, size), bottom = Math.Min(top + Side, size);
        var faults = new List<FaultTexel>();
        var guides = settings.Denoise && maps.Any(m => m.IsNoisy) ? (Normals: new uint[Side * Side], Places: new Vector3[Side * Side]) : default;
        var sample = new SurfaceSample(this);
        long rays = 0;
        int count = 0;
        for (int y = top; y < bottom; y++)
        {
            // With many rays a tile takes seconds, a row of it does not.
            cancel.ThrowIfCancellationRequested();
            rowDone();
            for (int x = left; x < right; x++)
            {
                int local = (y - top) * Side + x - left;
                if (!BakeTexel(x, y, local * samples, sample, scratch, count, faults, ref rays))
                    continue;
                scratch.Texels[count] = local;
                if (guides.Normals is not null)
                {
                    int hits = Math.Max(1, scratch.Sums.Hits);
                    guides.Normals[count] = Denoising.Packed(scratch.Sums.Normal);
                    guides.Places[count] = scratch.Sums.Point / hits;
                }
                count++;
            }
        }
        if (count == 0)
            return;
        var cover = new CoverTile(tile, Array.ConvertAll(scratch.Texels[..count], t => (ushort)t), scratch.Samples[..count], scratch.Hits[..count],
            scratch.Faults[..count]);
        var blocks = new byte[maps.Length][];
        for (int m = 0; m < blocks.Length; m++)
            blocks[m] = PackBlock(maps[m], scratch.Values[m].AsSpan(0, count * maps[m].Kept), scratch.Shares, scratch.Compressor);
        done[tile] = new TileResult(cover, blocks, faults, guides.Normals is null ? null : new Guides(guides.Normals[..count], guides.Places[..count]), rays,
            sample.LightRays, sample.ThicknessRays);
    }

    /// <summary>Compresses a tile's values as its map keeps them.</summary>
    internal static byte[] PackBlock(BakeMap map, ReadOnlySpan<float> values, ushort[] shares, Compressor compressor)
    {
        if (PartMap.HoldsFloats(map))
            return PieceFile.Pack(compressor, MemoryMarshal.AsBytes(values));
        bool isVector = map.Values == MapValues.Vector, isColour = map.Values == MapValues.Colour;
        for (int i = 0; i < values.Length; i++)
        {
            shares[i] = isVector ? (ushort)NormalEncoding.Encode(values[i], ushort.MaxValue, 0)
                : (ushort)(Math.Clamp(isColour ? Srgb.FromLinear(values[i]) : values[i], 0, 1) * ushort.MaxValue + 0.5f);
        }
        return PieceFile.Pack(compressor, MemoryMarshal.AsBytes(shares.AsSpan(0, values.Length)));
    }

    /// <summary>Where a sample's ray starts, its direction outwards, and how far it goes.</summary>
    private (Vector3 Point, Vector3 Start, Vector3 Direction, float Length) RayOf(int triangle, Vector3 weights, RayChange change = default)
    {
        var low = scene.Low;
        var point = LowSurface.Blend(low.Positions, triangle, weights);
        var direction = Vector3.Normalize(LowSurface.Blend(change.IsStraight ? low.Normals : low.Directions, triangle, weights));
        float reach = change.OutwardMetres ?? outward;
        if (hasCage && !change.IsStraight)
        {
            // From the cage through the surface; where the two touch there is nothing to aim by but the direction.
            var move = LowSurface.Blend(low.Starts, triangle, weights) - point;
            reach = move.Length();
            if (reach > 1e-7f)
                direction = move / reach;
        }
        float inward = change.InwardMetres ?? weights.X * low.Inward[3 * triangle]
            + weights.Y * low.Inward[3 * triangle + 1] + weights.Z * low.Inward[3 * triangle + 2];
        return (point, point + direction * reach, direction, reach + inward);
    }

    /// <summary>Bakes a texel into place <paramref name="at"/> of the scratch.</summary>
    /// <returns>Whether any sample lies in a triangle.</returns>
    private bool BakeTexel(int x, int y, int slot, SurfaceSample sample, Scratch scratch, int at, List<FaultTexel> faults, ref long rays)
    {
        var sums = scratch.Sums;
        (sums.Normal, sums.Point, sums.Hits) = (Vector3.Zero, Vector3.Zero, 0);
        for (int m = 0; m < maps.Length; m++)
            sums.OfMaps[m] = maps[m].Values == MapValues.Label ? -Vector3.One : Vector3.Zero;
        int texel = y * size + x, inside = 0;
        uint seed = Hash.Mix((uint)texel);
        var worst = default(FaultTexel);
        foreach (int s in fromMiddle)
        {
            int triangle = scratch.Owner[slot + s];
            if (triangle < 0)
                continue;
            inside++;
            var (px, py) = raster.Place(x, y, s);
            var weights = raster.Weights(triangle, px, py);
            var (point, start, direction, length) = RayOf(triangle, weights);
            rays++;
            bool found = scene.High.Bvh.ClosestFacing(new Ray(start, -direction, 0, length), out var hit, out bool metBackFace);
            float height = Vector3.Distance(start, point) - hit.Distance;
            if (!found)
            {
                if (missesAreHoles && !metBackFace)
                    continue;
                hit = settings.FillsMisses ? near.Find(point) : Hit.None;
                if (hit.Triangle < 0 || Vector3.Dot(scene.High.FlatNormalAt(hit.Triangle), direction) <= 0)
                {
                    Note(ref worst, new FaultTexel(texel, metBackFace ? FaultKind.BackFace : FaultKind.Miss, (byte)s, 0, triangle, 0));
                    continue;
                }
                height = Vector3.Dot(scene.High.PointAt(hit) - point, direction);
            }
            var target = scene.High.NormalAt(hit);
            // How detail is drawn out is the surface's doing, not its shading's.
            var flat = scene.High.FlatNormalAt(hit.Triangle);
            var kind = found ? KindOf(hit, flat, direction, length) : FaultKind.Filled;
            if (kind == FaultKind.None && scratch.Overlapped[slot + s])
                kind = FaultKind.Overlap;
            if (kind != FaultKind.None)
            {
                float amount = kind == FaultKind.Skew ? MathF.Acos(Math.Clamp(Vector3.Dot(flat, direction), -1, 1)) * 180 / MathF.PI : hit.Distance;
                Note(ref worst, new FaultTexel(texel, kind, (byte)s, (ushort)scene.High.PartOf(hit.Triangle), triangle, amount));
            }
            sample.Set(hit, (target, flat), (triangle, weights), height, (s, seed));
            Add(sums, sample, target);
        }
        if (inside == 0)
            return false;
        float turn = sums.Hits > 1 ? MathF.Sqrt(MathF.Max(0, 2 - 2 * sums.Normal.Length() / sums.Hits)) : 0;
        if (turn > CoarseRadians)
        {
            int nearest = 0;
            while (scratch.Owner[slot + fromMiddle[nearest]] < 0)
                nearest++;
            int s = fromMiddle[nearest];
            Note(ref worst, new FaultTexel(texel, FaultKind.Coarse, (byte)s, 0, scratch.Owner[slot + s], turn * 180 / MathF.PI));
        }
        if (worst.Kind != FaultKind.None)
            faults.Add(worst);
        (scratch.Samples[at], scratch.Hits[at], scratch.Faults[at]) = ((byte)inside, (byte)sums.Hits, (byte)worst.Kind);
        for (int m = 0; m < maps.Length; m++)
            Keep(m, sums, inside, scratch.Values[m], at);
        return true;
    }

    /// <summary>What is wrong with a hit.</summary>
    private FaultKind KindOf(in Hit hit, Vector3 flat, Vector3 direction, float length) =>
        scene.High.PartOf(hit.Triangle) != scene.Part ? FaultKind.Neighbour
            : hit.Distance > 0.98f * length && !input.Parts[scene.Part].EndsAreFitted ? FaultKind.ReachExhausted
                : Vector3.Dot(flat, direction) < 0.5f ? FaultKind.Skew : FaultKind.None;

    /// <summary>What would be wrong with a sample whose ray is another, overlaps left out.</summary>
    internal FaultKind Judge(int triangle, Vector3 weights, RayChange change)
    {
        var (_, start, direction, length) = RayOf(triangle, weights, change);
        var seen = change.SeesItselfAlone ? scene.Own() : scene.High;
        if (!seen.Bvh.ClosestFacing(new Ray(start, -direction, 0, length), out var hit, out bool metBackFace))
            return metBackFace ? FaultKind.BackFace : missesAreHoles ? FaultKind.None : FaultKind.Miss;
        var flat = seen.FlatNormalAt(hit.Triangle);
        if (change.SeesItselfAlone)
            return Vector3.Dot(flat, direction) < 0.5f ? FaultKind.Skew : FaultKind.None;
        return KindOf(hit, flat, direction, length);
    }

    /// <summary>Whether rays start on a cage, and not at the outward reach.</summary>
    internal bool HasCage => hasCage;

    /// <summary>Weights of a wrong texel's worst sample in its triangle.</summary>
    internal Vector3 WeightsOf(in FaultTexel fault)
    {
        var (px, py) = raster.Place(fault.Texel % size, fault.Texel / size, fault.Sample);
        return raster.Weights(fault.Triangle, px, py);
    }

    /// <summary>The tile of a texel.</summary>
    internal int TileOf(int texel) => texel / size / Side * ((size + Side - 1) / Side) + texel % size / Side;

    /// <summary>The sample nearest the middle of each covered texel of a tile.</summary>
    internal IEnumerable<(int Texel, int Triangle, Vector3 Weights)> Middles(int tile)
    {
        var owner = new int[Side * Side * samples];
        raster.Fill(tile, owner, new bool[owner.Length]);
        var (left, top) = raster.Corner(tile);
        for (int local = 0; local < Side * Side; local++)
        {
            int x = left + local % Side, y = top + local / Side, s = fromMiddle[0], triangle = owner[local * samples + s];
            if (x >= size || y >= size || triangle < 0)
                continue;
            var (px, py) = raster.Place(x, y, s);
            yield return (y * size + x, triangle, raster.Weights(triangle, px, py));
        }
    }

    private static void Note(ref FaultTexel worst, in FaultTexel fault)
    {
        if (fault.Kind > worst.Kind || (fault.Kind == worst.Kind && fault.Amount > worst.Amount))
            worst = fault;
    }

    /// <summary>Adds what a sample says to the texel's sums.</summary>
    private void Add(SampleSums sums, SurfaceSample sample, Vector3 normal)
    {
        sums.Hits++;
        sums.Normal += normal;
        sums.Point += sample.Point;
        for (int m = 0; m < maps.Length; m++)
        {
            // Labels never mix: the first counts.
            if (maps[m].Values != MapValues.Label)
                sums.OfMaps[m] += maps[m].Sample(sample);
            else if (sums.OfMaps[m].X < 0)
                sums.OfMaps[m] = maps[m].Sample(sample);
        }
    }

    /// <summary>Writes a texel's value of a map; one without hits shows what is there where nothing is baked.</summary>
    private void Keep(int m, SampleSums sums, int inside, float[] values, int at)
    {
        var (map, sum) = (maps[m], sums.OfMaps[m]);
        if (sums.Hits == 0 && !countsMisses[m])
            map.Background.CopyTo(values.AsSpan(at * map.Kept));
        else if (map.Values == MapValues.Label)
            values[at] = sum.X;
        else if (map.Values == MapValues.Vector)
            (sum.LengthSquared() > 0 ? Vector3.Normalize(sum) : Vector3.UnitZ).CopyTo(values, 3 * at);
        else if (map.Channels == 3)
            (sum / sums.Hits).CopyTo(values, 3 * at);
        else
            values[at] = sum.X / (countsMisses[m] ? inside : sums.Hits);
    }

    /// <summary>Puts the tiles together when all are baked, smooths them, and finds what hangs together of what is wrong.</summary>
    /// <param name="progress">Told the share that is done, 0 to 1, and what is being done.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public (PartCover Cover, IReadOnlyList<PartMap> Maps) Finish(Action<double, string> progress, int threads, CancellationToken cancel)
    {
        var tiles = Tiles.Where(done.ContainsKey).Select(t => done[t]).ToArray();
        CoverTile[] cover = [.. tiles.Select(t => t.Cover)];
        var regions = new FaultRegions(this, input, size, WhereIs, near).Find([.. tiles.SelectMany(t => t.Faults)], cover.Sum(t => t.Texels.Length), cancel);
        var made = new PartMap[maps.Length];
        for (int m = 0; m < made.Length; m++)
        {
            int before = m;
            byte[][] blocks = [.. tiles.Select(t => t.Blocks[m])];
            if (settings.Denoise && maps[m].IsNoisy)
                blocks = Denoising.Smooth(maps[m], cover, blocks, [.. tiles.Select(t => t.Guides!)], size, settings,
                    settings.ThicknessRangeMetres ?? input.Parts[scene.Part].HighBounds.Size.Length(),
                    share => progress((before + share) / maps.Length, "smoothing noise"), threads, cancel);
            long rays = maps[m].RayKind switch
            {
                MapNeeds.Light => tiles.Sum(t => t.LightRays),
                MapNeeds.Thickness => tiles.Sum(t => t.ThicknessRays),
                _ => 0,
            };
            made[m] = new PartMap(maps[m], blocks, [], rays) { Spread = MapScales.Asks(maps[m]) ? SpreadOf(cover, blocks) : null };
            if (maps[m].Values == MapValues.Label && settings.IdBy != IdSource.Colour)
                made[m] = IdLabels.Own(made[m], cover, Attributes.Labels);
        }
        return (new PartCover(cover, regions, tiles.Sum(t => t.Rays)), made);
    }

    private static MapSpread SpreadOf(CoverTile[] cover, byte[][] blocks)
    {
        using var decompressor = new Decompressor();
        return MapSpread.Of(blocks.Select((block, i) =>
        {
            var values = new float[cover[i].Texels.Length];
            PieceFile.Unpack(decompressor, block, MemoryMarshal.AsBytes(values.AsSpan()));
            return values;
        }));
    }

    private (Vector3 Point, Vector3 Start, Vector3 Direction, float Length) WhereIs(in FaultTexel fault) =>
        RayOf(fault.Triangle, WeightsOf(fault));
}
