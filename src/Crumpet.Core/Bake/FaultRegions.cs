using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>Groups a part's wrong texels into regions, and measures what would put each right.</summary>
internal sealed class FaultRegions(BakeInput input, PartScene scene, int size, FaultRegions.Where whereIs)
{
    // Enough to know what a region needs without casting a ray for each of its texels again.
    private const int Probes = 64;

    private SurfaceTree? near;

    /// <summary>The ray of a texel that is wrong.</summary>
    public delegate (Vector3 Point, Vector3 Start, Vector3 Direction, float Length) Where(in FaultTexel fault);

    /// <summary>Regions of all parts, most texels first.</summary>
    public static FaultRegion[] Sorted(IEnumerable<FaultRegion> regions) => [.. regions.OrderByDescending(r => r.Texels).ThenBy(r => r.Y).ThenBy(r => r.X)];

    /// <summary>Regions, most texels first.</summary>
    public IReadOnlyList<FaultRegion> Find(FaultTexel[] faults, CancellationToken cancel)
    {
        var regions = new List<FaultRegion>();
        regions.AddRange(HardEdges.Find(input.Parts[scene.Part], scene.Low));
        if (faults.Length > 0)
            Group(faults, regions, cancel);
        return [.. regions.OrderByDescending(r => r.Texels).ThenBy(r => r.Y).ThenBy(r => r.X).ThenBy(r => r.Kind)];
    }

    private void Group(FaultTexel[] faults, List<FaultRegion> regions, CancellationToken cancel)
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
            regions.Add(Measure(faults, members));
        }

        void Take(int at)
        {
            members.Add(grid[at] - 1);
            grid[at] = -grid[at];
            open.Push(at);
        }
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
            FaultKind.ReachExhausted => region with { NeedsInwardMetres = MathF.Max(0, worst.Amount - Vector3.Distance(start, point)) },
            _ => region,
        };
    }

    /// <summary>How far out or in the part's own surface is for texels that do not find it.</summary>
    private FaultRegion Needs(FaultRegion region, FaultTexel[] faults, List<int> members)
    {
        var own = scene.Own();
        float farthest = input.Parts[scene.Part].High.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds())).Size.Length();
        near ??= SurfaceTree.Build(input.Parts[scene.Part].High);
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
            float most = ShellMap.FarthestOver(near.Nearest(point, farthest).Distance);
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
