using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Where rays of one low object come from, per corner.</summary>
/// <param name="Directions">Unit direction, outwards.</param>
/// <param name="Cage">Where rays start, metres; null for the outward reach along the blended direction.</param>
/// <param name="Inward">How far rays go on below the surface, metres.</param>
public sealed record LowRays(Vector3[] Directions, Vector3[]? Cage, float[] Inward);

/// <summary>Works out where rays of a part come from, and what of the high side they would miss.</summary>
internal static class PartRays
{
    /// <summary>Rays of each low object, and what is known of the shell they start on.</summary>
    /// <param name="settings">Where rays start and come from.</param>
    /// <param name="low">Low objects.</param>
    /// <param name="high">High side.</param>
    /// <param name="cages">Cage objects that came for it.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static RaysAnswer Build(RaysSettings settings, IReadOnlyList<Mesh> low, SurfaceTree high, IReadOnlyList<Mesh> cages, int threads,
        CancellationToken cancel)
    {
        var directions = low.Select(m => DirectionsOf(m, settings)).ToArray();
        var shell = ShellBase.Build(low, directions);
        var bounds = low.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds())).Including(high.Boxes.Bounds);
        // Farther off than half the part nothing belongs to one place of the surface.
        float limit = bounds.Size.Length() / 2;
        var points = HighPoints.Of(high, CageFit.Spacing(shell));
        var places = HighPoints.Place(shell, points, limit, threads, cancel);
        var kind = settings.Kind;
        Vector3[]? starts = null;
        string problem = "";
        if (kind == CageKind.File)
        {
            starts = CageMatch.Starts(low, cages, out problem);
            if (starts is null)
                kind = CageKind.Reach;
        }
        using var bvh = Bvh.Build(high.Positions, high.Corners, threads, cancel);
        var fitted = kind == CageKind.Fitted ? CageFit.Fit(shell, high, bvh, points, places, settings.MarginMetres, limit, threads, cancel) : null;
        var reach = fitted is not null ? new ReachSettings(fitted.Outward.Append(0).Max(), fitted.Inward.Append(0).Max())
            : settings is { OutwardReachMetres: { } far, InwardReachMetres: { } deep } ? new ReachSettings(far, deep)
            : ReachFit.Measure(shell, (high, bvh), places, bounds, (settings.OutwardReachMetres, settings.InwardReachMetres), threads, cancel);
        float[] outward = fitted?.Outward ?? Everywhere(reach.OutwardReachMetres);
        bool brushed = Brush(settings, shell, outward, starts);
        if (starts is null && (kind == CageKind.Fitted || brushed))
            starts = [.. shell.Moves(outward).Zip(shell.Positions, (m, p) => p + m)];
        var rayStarts = starts is null ? RayStarts.AtReach(shell, reach.OutwardReachMetres)
            : new RayStarts([.. starts.Zip(shell.Positions, (s, p) => s - p)], null);
        if (starts is not null && fitted is null && settings.InwardReachMetres is null)
            reach = reach with { InwardReachMetres = ReachFit.BelowCage(shell, rayStarts, bvh, places, bounds, threads, cancel) };
        float[] inward = fitted?.Inward ?? Everywhere(reach.InwardReachMetres);
        var rays = new LowRays[low.Count];
        int at = 0;
        for (int i = 0; i < rays.Length; i++)
        {
            int corners = low[i].Corners.Length;
            rays[i] = new LowRays(directions[i], starts?[at..(at + corners)], [.. shell.Vertices.AsSpan(at, corners).ToArray().Select(v => inward[v])]);
            at += corners;
        }
        var (looked, outside) = CageCheck.Look(shell, rayStarts, high, places[..high.Positions.Length], threads, cancel);
        var report = looked with
        {
            Kind = kind,
            Direction = settings.Direction,
            InwardMetres = inward.Append(0).Max(),
            Uncovered = fitted?.Uncovered ?? 0,
            Strokes = settings.Strokes.Count,
            Problem = problem,
            Reach = new ReachSettings(settings.OutwardReachMetres ?? reach.OutwardReachMetres, settings.InwardReachMetres ?? reach.InwardReachMetres),
        };
        return new RaysAnswer(rays, report, [.. outside]);

        float[] Everywhere(float metres) => [.. Enumerable.Repeat(metres, shell.VertexCount)];
    }

    private static Vector3[] DirectionsOf(Mesh mesh, RaysSettings settings)
    {
        var smooth = SmoothNormals.PerCorner(mesh);
        float everywhere = settings.Direction switch { RayDirection.Smooth => 0, RayDirection.Split => 1, _ => settings.Blend };
        var strokes = settings.Strokes.Where(s => s.Kind == BrushKind.Direction).ToArray();
        if (everywhere == 0 && strokes.Length == 0)
            return smooth;
        var split = mesh.NormalsOrSmooth();
        var result = new Vector3[smooth.Length];
        for (int c = 0; c < result.Length; c++)
        {
            float share = everywhere;
            foreach (var stroke in strokes)
                share += stroke.Amount * Strength(stroke, mesh.PositionAt(c));
            var blend = Vector3.Lerp(smooth[c], split[c], Math.Clamp(share, 0, 1));
            result[c] = blend.LengthSquared() > 1e-12f ? Vector3.Normalize(blend) : split[c];
        }
        return result;
    }

    /// <summary>Raises and lowers offsets, or given starts, by the cage's strokes.</summary>
    private static bool Brush(RaysSettings settings, ShellBase shell, float[] outward, Vector3[]? starts)
    {
        bool any = false;
        var done = new bool[shell.VertexCount];
        foreach (var stroke in settings.Strokes.Where(s => s.Kind == BrushKind.Cage))
        {
            any = true;
            Array.Clear(done);
            for (int c = 0; c < shell.Positions.Length; c++)
            {
                float by = stroke.Amount * Strength(stroke, shell.Positions[c]);
                if (starts is not null)
                {
                    // Never below the surface it belongs to.
                    float height = Vector3.Dot(starts[c] - shell.Positions[c], shell.Directions[c]);
                    starts[c] += shell.Directions[c] * MathF.Max(by, -MathF.Max(0, height));
                }
                else if (!done[shell.Vertices[c]])
                {
                    outward[shell.Vertices[c]] = MathF.Max(0, outward[shell.Vertices[c]] + by);
                    done[shell.Vertices[c]] = true;
                }
            }
        }
        return any;
    }

    /// <summary>How much of a stroke arrives at a point: all on its way, nothing at its radius.</summary>
    private static float Strength(BrushStroke stroke, Vector3 point)
    {
        float least = float.PositiveInfinity;
        for (int i = 0; i < stroke.Points.Count; i += 3)
        {
            var to = At(stroke, i);
            var from = i == 0 ? to : At(stroke, i - 3);
            var way = to - from;
            float along = way.LengthSquared() > 0 ? Math.Clamp(Vector3.Dot(point - from, way) / way.LengthSquared(), 0, 1) : 0;
            least = MathF.Min(least, Vector3.DistanceSquared(point, from + way * along));
        }
        float share = 1 - least / (stroke.RadiusMetres * stroke.RadiusMetres);
        return share > 0 ? share * share : 0;
    }

    private static Vector3 At(BrushStroke stroke, int i) => new(stroke.Points[i], stroke.Points[i + 1], stroke.Points[i + 2]);
}
