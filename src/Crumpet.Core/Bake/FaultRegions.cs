using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>Groups a part's wrong texels into regions, measures what would put each right, and tries it.</summary>
internal sealed class FaultRegions(PartBake bake, BakeInput input, int size, FaultRegions.Where whereIs, NearestHigh near)
{
    /// <summary>How many skewed places of a part are straightened at once.</summary>
    public const int SpotsMended = 24;

    // Enough to know what a region needs without casting a ray for each of its texels again.
    private const int Probes = 64;

    private readonly PartScene scene = bake.Scene;

    /// <summary>The ray of a texel that is wrong.</summary>
    public delegate (Vector3 Point, Vector3 Start, Vector3 Direction, float Length) Where(in FaultTexel fault);

    /// <summary>Regions of all parts, most texels first.</summary>
    public static FaultRegion[] Sorted(IEnumerable<FaultRegion> regions) => [.. regions.OrderByDescending(r => r.Texels).ThenBy(r => r.Y).ThenBy(r => r.X)];

    /// <summary>Regions, most texels first.</summary>
    /// <param name="faults">Wrong texels.</param>
    /// <param name="covered">Texels the part covers.</param>
    /// <param name="cancel">Ends the work early.</param>
    public IReadOnlyList<FaultRegion> Find(FaultTexel[] faults, int covered, CancellationToken cancel)
    {
        var regions = new List<FaultRegion>();
        regions.AddRange(HardEdges.Find(input.Parts[scene.Part], scene.Low));
        if (faults.Length > 0)
        {
            var grouped = new List<(FaultRegion Region, FaultTexel[] Texels)>();
            Group(faults, grouped, cancel);
            regions.AddRange(Tried(grouped, faults, covered, cancel));
        }
        return [.. regions.OrderByDescending(r => r.Texels).ThenBy(r => r.Y).ThenBy(r => r.X).ThenBy(r => r.Kind)];
    }

    private void Group(FaultTexel[] faults, List<(FaultRegion Region, FaultTexel[] Texels)> regions, CancellationToken cancel)
    {
        int left = faults.Min(f => f.Texel % size), right = faults.Max(f => f.Texel % size), top = faults.Min(f => f.Texel / size),
            bottom = faults.Max(f => f.Texel / size);
        int width = right - left + 1, height = bottom - top + 1;
        // Number of the fault at each texel of the bounds, from 1; negative once it is in a region.
        var grid = new int[width * height];
        for (int i = 0; i < faults.Length; i++)
            grid[(faults[i].Texel / size - top) * width + faults[i].Texel % size - left] = i + 1;
        var open = new Stack<int>();
        var members = new List<int>();
        for (int start = 0; start < grid.Length; start++)
        {
            if (grid[start] <= 0)
                continue;
            cancel.ThrowIfCancellationRequested();
            members.Clear();
            Take(start);
            while (open.TryPop(out int at))
            {
                var fault = faults[-grid[at] - 1];
                int x = at % width, y = at / width;
                for (int ny = Math.Max(0, y - 1); ny <= Math.Min(height - 1, y + 1); ny++)
                {
                    for (int nx = Math.Max(0, x - 1); nx <= Math.Min(width - 1, x + 1); nx++)
                    {
                        int next = ny * width + nx;
                        if (grid[next] > 0 && faults[grid[next] - 1].Kind == fault.Kind && faults[grid[next] - 1].Other == fault.Other)
                            Take(next);
                    }
                }
            }
            regions.Add((Measure(faults, members), [.. members.Select(i => faults[i])]));
        }

        void Take(int at)
        {
            members.Add(grid[at] - 1);
            grid[at] = -grid[at];
            open.Push(at);
        }
    }

    /// <summary>Regions with what came of trying the mend that would be offered for them.</summary>
    private IEnumerable<FaultRegion> Tried(List<(FaultRegion Region, FaultTexel[] Texels)> regions, FaultTexel[] faults, int covered,
        CancellationToken cancel)
    {
        var trials = new FaultTrials(bake, cancel);
        var wrong = faults.Where(f => f.Kind > FaultKind.Coarse).Select(f => f.Texel).ToHashSet();
        foreach (var kind in regions.GroupBy(r => r.Region.Kind))
        {
            if (kind.Key is FaultKind.Miss or FaultKind.BackFace or FaultKind.ReachExhausted)
            {
                var trial = WithReach([.. kind], trials, wrong);
                // Nothing near it that looks its way: turned round, all that is right now would be wrong.
                if (trial is null && kind.Key == FaultKind.BackFace && kind.Sum(r => r.Texels.Length) is var texels)
                    trial = new FaultTrial(texels, texels, covered - wrong.Count, covered - wrong.Count);
                foreach (var (region, _) in kind)
                    yield return region with { Trial = trial };
                continue;
            }
            int tried = 0;
            foreach (var (region, texels) in kind.OrderByDescending(r => r.Region.Texels).ThenBy(r => r.Region.Y).ThenBy(r => r.Region.X))
            {
                yield return kind.Key switch
                {
                    FaultKind.Skew when tried++ < SpotsMended => region with { Trial = trials.Try(texels, wrong, new RayChange(null, null, true, false)) },
                    FaultKind.Neighbour => region with { Trial = trials.Try(texels, wrong, new RayChange(null, null, false, true)) },
                    _ => region,
                };
            }
        }
    }

    /// <summary>Tries the reach that regions of a kind need; null where a cage says how far rays go, or no reach would help.</summary>
    private FaultTrial? WithReach((FaultRegion Region, FaultTexel[] Texels)[] regions, FaultTrials trials, HashSet<int> wrong)
    {
        if (bake.HasCage)
            return null;
        float outward = regions.Max(r => r.Region.NeedsOutwardMetres), inward = regions.Max(r => r.Region.NeedsInwardMetres);
        var part = input.Parts[scene.Part];
        float reach = part.OutwardReachMetres ?? 0, depth = part.InwardReachMetres ?? 0;
        float wider = outward > 0 ? ReachFit.Eased(outward, 0) : 0, deeper = inward > 0 ? ReachFit.Eased(inward, reach) : 0;
        return wider <= reach && deeper <= depth ? null
            : trials.Try([.. regions.SelectMany(r => r.Texels)], wrong,
                new RayChange(wider > reach ? wider : null, deeper > depth ? deeper : null, false, false));
    }

    private FaultRegion Measure(FaultTexel[] faults, List<int> members)
    {
        members.Sort();
        int x0 = size, y0 = size, x1 = 0, y1 = 0;
        var worst = faults[members[0]];
        foreach (int i in members)
        {
            int x = faults[i].Texel % size, y = faults[i].Texel / size;
            (x0, y0, x1, y1) = (Math.Min(x0, x), Math.Min(y0, y), Math.Max(x1, x), Math.Max(y1, y));
            if (faults[i].Amount > worst.Amount)
                worst = faults[i];
        }
        var (point, start, direction, length) = whereIs(worst);
        var region = new FaultRegion(
            worst.Kind, input.Parts[scene.Part].Name, worst.Kind == FaultKind.Neighbour ? input.Parts[worst.Other].Name : "", members.Count, x0, y0,
                x1 - x0 + 1, y1 - y0 + 1)
        {
            Ray = RayOf(point, start, start - direction * (scene.High.Bvh.ClosestFacing(new Ray(start, -direction, 0, length), out var hit, out _)
                ? hit.Distance : length)),
            Degrees = worst.Kind is FaultKind.Skew or FaultKind.Coarse ? worst.Amount : 0,
            PixelsPerMetre = DensityAt(worst.Triangle),
        };
        return worst.Kind switch
        {
            FaultKind.Miss or FaultKind.BackFace => Needs(region, faults, members),
            FaultKind.Filled => region with { FilledFromMetres = worst.Amount },
            FaultKind.ReachExhausted => region with { NeedsInwardMetres = MathF.Max(0, worst.Amount - Vector3.Distance(start, point)) },
            _ => region,
        };
    }

    /// <summary>How far out or in the part's own surface is for texels that do not find it.</summary>
    private FaultRegion Needs(FaultRegion region, FaultTexel[] faults, List<int> members)
    {
        var own = scene.Own();
        float farthest = input.Parts[scene.Part].High.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds())).Size.Length();
        float outward = 0, inward = 0;
        FaultRay? ray = null;
        int step = Math.Max(1, members.Count / Probes);
        for (int m = 0; m < members.Count; m += step)
        {
            var (point, start, direction, length) = whereIs(faults[members[m]]);
            float reach = Vector3.Distance(start, point);
            // Going outwards from where the ray starts, the surface it should have met is left through its back.
            bool isOutside = own.Bvh.Closest(new Ray(start, direction, 0, farthest), out var above)
                && Vector3.Dot(own.FlatNormalAt(above.Triangle), direction) > 0;
            bool isInside = own.Bvh.ClosestFacing(new Ray(start - direction * length, -direction, 0, farthest), out var below, out _);
            // What a ray meets far beyond where the surface is belongs to another place of it.
            float most = ShellMap.FarthestOver(near.Distance(point, farthest));
            isOutside &= reach + above.Distance <= most;
            isInside &= length - reach + below.Distance <= most;
            if (isOutside && (!isInside || above.Distance <= below.Distance))
            {
                if (reach + above.Distance > outward)
                    (outward, ray) = (reach + above.Distance, RayOf(point, start + direction * above.Distance, point));
            }
            else if (isInside && length - reach + below.Distance > inward)
            {
                inward = length - reach + below.Distance;
                if (outward <= 0)
                    ray = RayOf(point, start, start - direction * (length + below.Distance));
            }
        }
        return region with { NeedsOutwardMetres = outward, NeedsInwardMetres = inward, Ray = ray ?? region.Ray };
    }

    private static FaultRay RayOf(Vector3 low, Vector3 from, Vector3 to) => new([low.X, low.Y, low.Z], [from.X, from.Y, from.Z], [to.X, to.Y, to.Z]);

    private float DensityAt(int triangle)
    {
        var low = scene.Low;
        Vector2 ab = low.Texels[3 * triangle + 1] - low.Texels[3 * triangle], ac = low.Texels[3 * triangle + 2] - low.Texels[3 * triangle];
        float onSheet = MathF.Abs(ab.X * ac.Y - ab.Y * ac.X);
        float onSurface = Vector3.Cross(low.Positions[3 * triangle + 1] - low.Positions[3 * triangle],
            low.Positions[3 * triangle + 2] - low.Positions[3 * triangle]).Length();
        return onSurface > 0 ? MathF.Sqrt(onSheet / onSurface) : 0;
    }
}
