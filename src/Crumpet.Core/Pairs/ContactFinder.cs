using System.Collections.Concurrent;
using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>A part as rays see it.</summary>
/// <param name="Low">Low objects.</param>
/// <param name="High">High objects.</param>
/// <param name="OutwardReachMetres">Outward reach, metres.</param>
/// <param name="InwardReachMetres">Inward reach, metres.</param>
public sealed record ContactPart(IReadOnlyList<Mesh> Low, IReadOnlyList<Mesh> High, float OutwardReachMetres, float InwardReachMetres)
{
    /// <summary>Where rays of each low object come from; null for smooth directions and the reaches.</summary>
    public IReadOnlyList<LowRays>? Rays { get; init; }

    /// <summary>The high side in a hierarchy, where one was made already.</summary>
    public SurfaceTree? HighTree { get; init; }
}

/// <summary>Finds which parts' rays come near which other parts' high surface.</summary>
public static class ContactFinder
{
    /// <summary>All pairs whose distance is below outward plus inward reach, those that touch first, then by distance.</summary>
    /// <param name="parts">Parts.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="progress">Told as pairs are done.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<Contact> Find(IReadOnlyList<ContactPart> parts, int threads = 1, IProgress<Progress>? progress = null,
        CancellationToken cancel = default)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        var built = new Built[parts.Count];
        Parallel.For(0, built.Length, options, i => built[i] = Built.From(parts[i]));
        var near = new List<(int One, int Two)>();
        for (int i = 0; i < built.Length; i++)
        {
            for (int j = i + 1; j < built.Length; j++)
                if (built[i].MayMeet(built[j]) || built[j].MayMeet(built[i]))
                    near.Add((i, j));
        }
        int done = 0;
        var found = new ConcurrentBag<Contact>();
        Parallel.ForEach(near, options, pair =>
        {
            if (Measure(built, pair.One, pair.Two) is { } contact)
                found.Add(contact);
            progress?.Report(new Progress((double)Interlocked.Increment(ref done) / near.Count, "measuring contacts"));
        });
        return [.. found.OrderByDescending(c => c.Touches).ThenBy(c => c.Touches ? c.GapMetres : c.RayDistanceMetres).ThenBy(c => Math.Min(c.One, c.Two))
            .ThenBy(c => Math.Max(c.One, c.Two))];
    }

    private static Contact? Measure(Built[] built, int one, int two)
    {
        float forth = Distance(built[one], built[two], built[one].Reach), back = Distance(built[two], built[one], MathF.Min(built[two].Reach, forth));
        float least = MathF.Min(forth, back);
        if (float.IsInfinity(least))
            return null;
        if (back < forth)
            (one, two) = (two, one);
        // Between the surfaces themselves: what an artist would measure. A ray reaches at most this far, so there is something to find.
        var surfaces = new SurfaceGap(built[one].Low.Value, built[two].High);
        surfaces.First.Boxes.LeastDistance(built[two].High.Boxes, float.PositiveInfinity, ref surfaces, out int from, out int to);
        var gap = surfaces.Between(from, to, float.PositiveInfinity);
        return new Contact(one, two, least, gap.Distance, [gap.One.X, gap.One.Y, gap.One.Z], [gap.Two.X, gap.Two.Y, gap.Two.Z]);
    }

    /// <summary>From what the rays of one part can touch to the high surface of another; infinite where that is not below the limit.</summary>
    private static float Distance(Built rays, Built surface, float limit)
    {
        var measure = new HullGapToSurface(rays.Hulls, surface.High);
        float distance = rays.HullBoxes.LeastDistance(surface.High.Boxes, limit, ref measure, out int hull, out _);
        return hull < 0 ? float.PositiveInfinity : distance;
    }

    private sealed record Built(Vector3[] Hulls, BoxTree HullBoxes, Lazy<SurfaceTree> Low, SurfaceTree High, float Reach)
    {
        public static Built From(ContactPart part)
        {
            var hulls = new List<Vector3>(RayHulls.Points * part.Low.Sum(m => m.TriangleCount));
            float reach = part.OutwardReachMetres + part.InwardReachMetres;
            for (int i = 0; i < part.Low.Count; i++)
            {
                var low = part.Low[i];
                var rays = part.Rays?[i] ?? new LowRays(SmoothNormals.PerCorner(low), null, [.. Enumerable.Repeat(part.InwardReachMetres, low.Corners.Length)]);
                RayHulls.Add(low, rays, part.OutwardReachMetres, hulls);
                if (rays.Cage is { } cage)
                    reach = MathF.Max(reach, Enumerable.Range(0, cage.Length).Max(c => Vector3.Distance(cage[c], low.PositionAt(c)) + rays.Inward[c]));
            }
            Vector3[] points = [.. hulls];
            var boxes = new Bounds[points.Length / RayHulls.Points];
            for (int i = 0; i < boxes.Length; i++)
            {
                boxes[i] = Bounds.Empty;
                for (int k = 0; k < RayHulls.Points; k++)
                    boxes[i] = boxes[i].Including(points[i * RayHulls.Points + k]);
            }
            return new Built(points, BoxTree.Build(boxes), new Lazy<SurfaceTree>(() => SurfaceTree.Build(part.Low)), part.HighTree
                ?? SurfaceTree.Build(part.High), reach);
        }

        public bool MayMeet(Built other)
        {
            Bounds rays = HullBoxes.Bounds, surface = other.High.Boxes.Bounds;
            return !rays.IsEmpty && !surface.IsEmpty && Vector3.Max(Vector3.Zero, Vector3.Max(rays.Min - surface.Max, surface.Min - rays.Max)).Length() < Reach;
        }
    }

    private readonly struct HullGapToSurface(Vector3[] hulls, SurfaceTree surface) : IPairDistance
    {
        public float Distance(int one, int two, float limit)
        {
            ReadOnlySpan<Vector3> triangle = [surface.Corner(two, 0), surface.Corner(two, 1), surface.Corner(two, 2)];
            return HullDistance.Between(hulls.AsSpan(one * RayHulls.Points, RayHulls.Points), triangle, limit).Distance;
        }
    }

    private readonly struct SurfaceGap(SurfaceTree first, SurfaceTree second) : IPairDistance
    {
        public SurfaceTree First => first;

        public float Distance(int one, int two, float limit) => Between(one, two, limit).Distance;

        public HullGap Between(int one, int two, float limit)
        {
            ReadOnlySpan<Vector3> a = [first.Corner(one, 0), first.Corner(one, 1), first.Corner(one, 2)],
                b = [second.Corner(two, 0), second.Corner(two, 1), second.Corner(two, 2)];
            return HullDistance.Between(a, b, limit);
        }
    }
}
