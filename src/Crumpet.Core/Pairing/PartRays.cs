using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairing;

/// <summary>Where rays of one low object come from, per corner.</summary>
/// <param name="Directions">Unit direction, outwards.</param>
/// <param name="Cage">Where rays start, metres; null for the outward reach along the blended direction.</param>
/// <param name="Inward">How far rays go on below the surface, metres.</param>
public sealed record LowRays(Vector3[] Directions, Vector3[]? Cage, float[] Inward);

/// <summary>What decides where rays of a part come from.</summary>
/// <param name="Low">Low objects.</param>
/// <param name="High">High side.</param>
/// <param name="CageMeshes">Cage objects that came for it.</param>
/// <param name="Kind">Where rays start.</param>
/// <param name="Direction">Where they come from over hard edges.</param>
/// <param name="Blend">Share of shading normals in blended directions.</param>
/// <param name="OutwardReachMetres">Outward reach, metres.</param>
/// <param name="InwardReachMetres">Inward reach, metres.</param>
/// <param name="MarginMetres">Margin of a fitted cage, metres.</param>
/// <param name="Strokes">Strokes on this part.</param>
internal sealed record PartRaysInput(
    IReadOnlyList<Mesh> Low, SurfaceTree High, IReadOnlyList<Mesh> CageMeshes, CageKind Kind, RayDirection Direction, float Blend,
    float OutwardReachMetres, float InwardReachMetres, float MarginMetres, IReadOnlyList<BrushStroke> Strokes);

/// <summary>Works out where rays of a part come from, and what of the high side they would miss.</summary>
internal static class PartRays
{
    /// <summary>Rays of each low object, and what is known of the shell they start on.</summary>
    public static RaysAnswer Build(PartRaysInput input, int threads, CancellationToken cancel)
    {
        var directions = input.Low.Select(m => DirectionsOf(m, input)).ToArray();
        var shell = ShellBase.Build(input.Low, directions);
        var bounds = input.Low.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds())).Including(input.High.Boxes.Bounds);
        // Farther off than half the part nothing belongs to one place of the surface.
        float limit = bounds.Size.Length() / 2;
        int uncovered = 0;
        var kind = input.Kind;
        var outward = Enumerable.Repeat(input.OutwardReachMetres, shell.VertexCount).ToArray();
        var inward = Enumerable.Repeat(input.InwardReachMetres, shell.VertexCount).ToArray();
        Vector3[]? starts = null;
        string problem = "";
        if (kind == CageKind.File)
        {
            starts = CageMatch.Starts(input.Low, input.CageMeshes, out problem);
            if (starts is null)
                kind = CageKind.Reach;
        }
        else if (kind == CageKind.Fitted)
        {
            var fitted = CageFit.Fit(shell, input.High, input.MarginMetres, limit, threads, cancel);
            (outward, inward, uncovered) = (fitted.Outward, fitted.Inward, fitted.Uncovered);
        }
        bool brushed = Brush(input, shell, outward, starts);
        if (starts is null && (kind == CageKind.Fitted || brushed))
            starts = [.. Enumerable.Range(0, shell.Positions.Length).Select(c => shell.Positions[c] + shell.Directions[c] * outward[shell.Vertices[c]])];
        var rays = new LowRays[input.Low.Count];
        int at = 0;
        for (int i = 0; i < rays.Length; i++)
        {
            int corners = input.Low[i].Corners.Length;
            rays[i] = new LowRays(directions[i], starts?[at..(at + corners)], [.. shell.Vertices.AsSpan(at, corners).ToArray().Select(v => inward[v])]);
            at += corners;
        }
        var shown = starts ?? [.. Enumerable.Range(0, shell.Positions.Length).Select(c => shell.Positions[c] + shell.Directions[c] * outward[shell.Vertices[c]])];
        var (looked, outside) = CageCheck.Look(shell, shown, input.High, limit, threads, cancel);
        var report = looked with
        {
            Kind = kind,
            Direction = input.Direction,
            InwardMetres = inward.Length == 0 ? 0 : inward.Max(),
            Uncovered = uncovered,
            Strokes = input.Strokes.Count,
            Problem = problem,
        };
        return new RaysAnswer(rays, report, [.. outside]);
    }

    private static Vector3[] DirectionsOf(Mesh mesh, PartRaysInput input)
    {
        var smooth = SmoothNormals.PerCorner(mesh);
        float everywhere = input.Direction switch { RayDirection.Smooth => 0, RayDirection.Split => 1, _ => input.Blend };
        var strokes = input.Strokes.Where(s => s.Kind == BrushKind.Direction).ToArray();
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
    private static bool Brush(PartRaysInput input, ShellBase shell, float[] outward, Vector3[]? starts)
    {
        bool any = false;
        var done = new bool[shell.VertexCount];
        foreach (var stroke in input.Strokes.Where(s => s.Kind == BrushKind.Cage))
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
