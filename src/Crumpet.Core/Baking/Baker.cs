using System.Numerics;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairing;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Baking;

/// <summary>Bakes maps from the high side onto a sheet of the low side by casting rays.</summary>
public static class Baker
{
    /// <summary>Bakes the maps of one sheet. The result does not depend on <paramref name="threads"/>.</summary>
    /// <param name="input">Parts and trays; every low object has UVs.</param>
    /// <param name="settings">Settings without a <see cref="BakeSettings.Problem"/>.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told at least every tile row.</param>
    /// <param name="cancel">Ends the bake within the time of a tile's row.</param>
    /// <exception cref="ArgumentException">The settings cannot be used.</exception>
    public static BakeResult Bake(BakeInput input, BakeSettings settings, int threads, IProgress<Progress>? progress, CancellationToken cancel)
    {
        if (settings.Problem() is { } problem)
            throw new ArgumentException(problem, nameof(settings));
        progress?.Report(new Progress(0, "preparing triangles"));
        var low = LowSurface.Build(input, settings);
        var trayOfPart = new int[input.Parts.Count];
        var high = new HighSurface[input.Trays.Count];
        var occluders = new Bvh[input.Parts.Count];
        try
        {
            for (int tray = 0; tray < high.Length; tray++)
            {
                cancel.ThrowIfCancellationRequested();
                high[tray] = HighSurface.Build(input, input.Trays[tray], threads, cancel);
                foreach (int part in input.Trays[tray].Parts)
                    trayOfPart[part] = tray;
            }
            BuildOccluders(input, settings, high, trayOfPart, occluders, threads, cancel);
            var sheet = new SheetBake(input, settings, low, high, trayOfPart, occluders);
            sheet.Run(threads, progress, cancel);
            progress?.Report(new Progress(0.97, "padding"));
            sheet.Pad(threads, cancel);
            var regions = sheet.Faults.Regions([.. input.Parts.Select(p => p.Name)]);
            return new BakeResult(sheet.Bitmaps(), regions, sheet.Covered.Count(c => c), sheet.Rays);
        }
        finally
        {
            foreach (var surface in high)
                surface?.Dispose();
            foreach (var bvh in occluders.Distinct())
                bvh?.Dispose();
        }
    }

    /// <summary>For each part the triangles that block its light.</summary>
    private static void BuildOccluders(BakeInput input, BakeSettings settings, HighSurface[] high, int[] trayOfPart, Bvh[] occluders, int threads, CancellationToken cancel)
    {
        if (!settings.Maps.Contains(BakeMap.Occlusion))
        {
            for (int part = 0; part < occluders.Length; part++)
                occluders[part] = high[trayOfPart[part]].Bvh;
            return;
        }
        Bvh? whole = high.Length == 1 ? high[0].Bvh : null;
        for (int part = 0; part < occluders.Length; part++)
        {
            bool alone = input.Trays[trayOfPart[part]].Parts.Count == 1;
            occluders[part] = (input.Parts[part].Sees ?? settings.Occluders) switch
            {
                Occluders.Asset => whole ??= HighSurface.Build(input, new BakeTray([.. Enumerable.Range(0, occluders.Length)]), threads, cancel).Bvh,
                Occluders.Part when !alone => HighSurface.Build(input, new BakeTray([part]), threads, cancel).Bvh,
                _ => high[trayOfPart[part]].Bvh,
            };
        }
    }

    private sealed class SheetBake
    {
        private readonly BakeSettings settings;
        private readonly LowSurface low;
        private readonly HighSurface[] high;
        private readonly int[] trayOfPart;
        private readonly Bvh[] occluders;
        private readonly float[] outward;
        private readonly bool[] hasCage;
        private readonly bool[] endsAreFitted;
        private readonly SampleRaster raster;
        private readonly MapBuffer? normalMap;
        private readonly MapBuffer? occlusionMap;
        private long rays;

        public SheetBake(BakeInput input, BakeSettings settings, LowSurface low, HighSurface[] high, int[] trayOfPart, Bvh[] occluders)
        {
            this.settings = settings;
            this.low = low;
            this.high = high;
            this.trayOfPart = trayOfPart;
            this.occluders = occluders;
            outward = [.. input.Parts.Select(p => p.OutwardReachMetres ?? settings.OutwardReachMetres)];
            hasCage = [.. input.Parts.Select(p => p.Rays?.Any(r => r.Cage is not null) == true)];
            endsAreFitted = [.. input.Parts.Select(p => p.EndsAreFitted)];
            raster = new SampleRaster(low.Texels, settings.Size, settings.Samples);
            normalMap = settings.Maps.Contains(BakeMap.Normal) ? new MapBuffer(settings, 3) : null;
            occlusionMap = settings.Maps.Contains(BakeMap.Occlusion) ? new MapBuffer(settings, 1) : null;
            normalMap?.FillWithNormal(Vector3.UnitZ);
            occlusionMap?.FillWithUnit(1);
            Faults = new FaultMap(settings.Size);
            Covered = new bool[settings.Size * settings.Size];
        }

        public FaultMap Faults { get; }

        public bool[] Covered { get; }

        public long Rays => rays;

        private int SamplesPerTexel => settings.Samples * settings.Samples;

        private sealed class Scratch(int samples)
        {
            public readonly int[] Owner = new int[SampleRaster.TileSide * SampleRaster.TileSide * samples];
            public readonly bool[] Overlapped = new bool[SampleRaster.TileSide * SampleRaster.TileSide * samples];
            public long Rays;
        }

        public void Run(int threads, IProgress<Progress>? progress, CancellationToken cancel)
        {
            int done = 0;
            var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
            Parallel.For(
                0, raster.TileCount, options, () => new Scratch(SamplesPerTexel),
                (tile, _, scratch) =>
                {
                    if (!raster.IsEmpty(tile))
                        BakeTile(tile, scratch, cancel);
                    int now = Interlocked.Increment(ref done);
                    if (now % 16 == 0)
                        progress?.Report(new Progress(0.03 + 0.94 * now / raster.TileCount, "casting rays"));
                    return scratch;
                },
                scratch => Interlocked.Add(ref rays, scratch.Rays));
        }

        private void BakeTile(int tile, Scratch scratch, CancellationToken cancel)
        {
            raster.Fill(tile, scratch.Owner, scratch.Overlapped);
            var (left, top) = raster.Corner(tile);
            int right = Math.Min(left + SampleRaster.TileSide, settings.Size), bottom = Math.Min(top + SampleRaster.TileSide, settings.Size);
            for (int y = top; y < bottom; y++)
            {
                // With many rays a tile takes seconds, a row of it does not.
                cancel.ThrowIfCancellationRequested();
                for (int x = left; x < right; x++)
                    BakeTexel(x, y, ((y - top) * SampleRaster.TileSide + x - left) * SamplesPerTexel, scratch);
            }
        }

        private void BakeTexel(int x, int y, int slot, Scratch scratch)
        {
            int texel = y * settings.Size + x;
            var normalSum = Vector3.Zero;
            float opennessSum = 0;
            int hits = 0;
            for (int s = 0; s < SamplesPerTexel; s++)
            {
                int triangle = scratch.Owner[slot + s];
                if (triangle < 0)
                    continue;
                Covered[texel] = true;
                int part = low.Parts[triangle];
                var surface = high[trayOfPart[part]];
                var (px, py) = raster.Place(x, y, s);
                var weights = raster.Weights(triangle, px, py);
                var point = Blend(low.Positions, triangle, weights);
                var direction = Vector3.Normalize(Blend(low.Directions, triangle, weights));
                float reach = outward[part];
                if (hasCage[part])
                {
                    // From the cage through the surface; where the two touch there is nothing to aim by but the direction.
                    var move = Blend(low.Starts, triangle, weights) - point;
                    reach = move.Length();
                    if (reach > 1e-7f)
                        direction = move / reach;
                }
                float length = reach + weights.X * low.Inward[3 * triangle] + weights.Y * low.Inward[3 * triangle + 1] + weights.Z * low.Inward[3 * triangle + 2];
                var start = point + direction * reach;
                scratch.Rays++;
                bool found = surface.Bvh.ClosestFacing(new Ray(start, -direction, 0, length), out var hit, out bool metBackFace);
                var kind = FaultKind.None;
                if (!found)
                {
                    kind = metBackFace ? FaultKind.BackFace : FaultKind.Miss;
                    Note(texel, kind, part, part);
                    continue;
                }
                hits++;
                var target = surface.NormalAt(hit);
                if (scratch.Overlapped[slot + s])
                    kind = FaultKind.Overlap;
                else if (Vector3.Dot(target, direction) < 0.5f)
                    kind = FaultKind.Skew;
                if (hit.Distance > 0.98f * length && !endsAreFitted[part])
                    kind = FaultKind.ReachExhausted;
                if (surface.Parts[hit.Triangle] != part)
                    kind = FaultKind.Neighbour;
                Note(texel, kind, part, surface.Parts[hit.Triangle]);
                if (normalMap is not null)
                    normalSum += NormalEncoding.ToTangentSpace(target, Blend(low.Normals, triangle, weights), BlendTangent(triangle, weights));
                if (occlusionMap is not null)
                    opennessSum += Openness(surface, occluders[part], hit, target, texel, s, scratch);
            }
            if (hits == 0)
                return;
            if (normalMap is not null)
            {
                float length = normalSum.Length();
                normalMap.SetNormal(x, y, length > 0 ? normalSum / length : Vector3.UnitZ);
            }
            occlusionMap?.SetUnit(x, y, opennessSum / hits);
        }

        private void Note(int texel, FaultKind kind, int part, int other)
        {
            if (kind > Faults.KindAt(texel))
                Faults.Set(texel, kind, part, other);
        }

        /// <summary>Share of the cosine-weighted hemisphere over the high surface that nothing blocks.</summary>
        private float Openness(HighSurface surface, Bvh occluders, in Hit hit, Vector3 normal, int texel, int sample, Scratch scratch)
        {
            var flat = surface.FlatNormalAt(hit.Triangle);
            var point = surface.PointAt(hit);
            // Far enough out that rounding of the point cannot put it under its own triangle.
            float largest = MathF.Max(MathF.Abs(point.X), MathF.Max(MathF.Abs(point.Y), MathF.Abs(point.Z)));
            point += flat * (largest * 3.8e-6f + 1e-7f);
            int count = Math.Max(1, settings.OcclusionRays / SamplesPerTexel);
            float range = settings.OcclusionRangeMetres > 0 ? settings.OcclusionRangeMetres : 1e30f;
            float open = 0;
            int cast = 0;
            uint seed = Hash.Mix((uint)texel);
            for (int i = 0; i < count; i++)
            {
                var direction = Hemispheres.CosineDirection(normal, SobolSequence.Point((uint)(sample * count + i), seed));
                if (Vector3.Dot(direction, flat) <= 0)
                    continue;
                cast++;
                open += 1 - Blocked(occluders, new Ray(point, direction, 0, range));
            }
            scratch.Rays += cast;
            return cast > 0 ? open / cast : 1;
        }

        private float Blocked(Bvh bvh, in Ray ray)
        {
            if (settings.OcclusionFalloffMetres <= 0 || settings.OcclusionRangeMetres <= 0)
                return bvh.Any(ray) ? 1 : 0;
            return bvh.Closest(ray, out var hit) ? Math.Clamp((ray.Far - hit.Distance) / settings.OcclusionFalloffMetres, 0, 1) : 0;
        }

        private static Vector3 Blend(Vector3[] corners, int triangle, Vector3 weights) =>
            corners[3 * triangle] * weights.X + corners[3 * triangle + 1] * weights.Y + corners[3 * triangle + 2] * weights.Z;

        private Vector4 BlendTangent(int triangle, Vector3 weights)
        {
            Vector4 a = low.Tangents[3 * triangle], b = low.Tangents[3 * triangle + 1], c = low.Tangents[3 * triangle + 2];
            return a * weights.X + b * weights.Y + c * weights.Z;
        }

        public void Pad(int threads, CancellationToken cancel)
        {
            if (settings.PaddingPixels == 0)
                return;
            var sources = SheetPadding.Sources(Covered, settings.Size, settings.PaddingPixels, threads, cancel);
            normalMap?.Pad(sources);
            occlusionMap?.Pad(sources);
        }

        public Dictionary<BakeMap, Bitmap> Bitmaps()
        {
            var result = new Dictionary<BakeMap, Bitmap>();
            if (normalMap is not null)
                result.Add(BakeMap.Normal, normalMap.Bitmap);
            if (occlusionMap is not null)
                result.Add(BakeMap.Occlusion, occlusionMap.Bitmap);
            return result;
        }
    }
}
