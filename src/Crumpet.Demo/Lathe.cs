using System.Numerics;

namespace Crumpet.Demo;

/// <summary>A piece spun or turned around Y from an outline, with walls as thick as the outline makes them.</summary>
/// <param name="Outline">Radius and height, metres, so that outward is to the right of the way along it; the last point joins the first
/// unless both are on the axis.</param>
/// <param name="Segments">Sides of the low piece.</param>
/// <param name="Round">Radius of the high piece's edges, metres.</param>
/// <param name="Dents">How deep the high piece's knocks are, metres.</param>
internal sealed record Lathe(IReadOnlyList<Vector2> Outline, int Segments, float Round, float Dents) : Shape
{
    private const float SmoothBend = 0.77f;

    private int Pieces => IsOpen ? Outline.Count - 1 : Outline.Count;

    private bool IsOpen => Outline[0].X == 0 && Outline[^1].X == 0;

    public override IEnumerable<Island> Low()
    {
        for (int piece = 0; piece < Pieces; piece++)
            yield return Strip(piece);
    }

    private Vector2 At(int i) => Outline[(i + Outline.Count) % Outline.Count];

    /// <summary>Outward direction of a piece, in the outline's plane.</summary>
    private Vector2 Facing(int piece)
    {
        var along = Vector2.Normalize(At(piece + 1) - At(piece));
        return new Vector2(along.Y, -along.X);
    }

    /// <summary>Shading direction at an end of a piece: shared with the neighbour over gentle bends.</summary>
    private Vector2 Normal(int piece, bool atEnd)
    {
        int other = piece + (atEnd ? 1 : -1);
        var own = Facing(piece);
        if (IsOpen && (other < 0 || other >= Pieces))
            return new Vector2(0, own.Y >= 0 ? 1 : -1);
        var theirs = Facing((other + Pieces) % Pieces);
        return Vector2.Dot(own, theirs) < SmoothBend ? own : Vector2.Normalize(own + theirs);
    }

    /// <summary>One piece of the outline spun round, unrolled without stretch: a rectangle, or a sector of a ring.</summary>
    private Island Strip(int piece)
    {
        Vector2 a = At(piece), b = At(piece + 1);
        float slant = Vector2.Distance(a, b), spread = MathF.Abs(b.X - a.X);
        bool isCylinder = spread < 1e-4f * slant;
        float apexA = isCylinder ? 0 : a.X * slant / spread, apexB = isCylinder ? 0 : b.X * slant / spread;
        float turn = isCylinder ? 0 : 2 * MathF.PI * spread / slant;
        var corners = new List<(Vector3, Vector3, Vector2)>();
        for (int i = 0; i < Segments; i++)
        {
            var p = Corner(i, a, apexA, 0, Normal(piece, false));
            var q = Corner(i + 1, a, apexA, 0, Normal(piece, false));
            var r = Corner(i + 1, b, apexB, slant, Normal(piece, true));
            var s = Corner(i, b, apexB, slant, Normal(piece, true));
            if (a.X > 0)
                corners.AddRange([p, q, r]);
            if (b.X > 0)
                corners.AddRange([p, r, s]);
        }
        var min = corners.Aggregate(new Vector2(float.PositiveInfinity), (m, c) => Vector2.Min(m, c.Item3));
        var max = corners.Aggregate(new Vector2(float.NegativeInfinity), (m, c) => Vector2.Max(m, c.Item3));
        return new Island([.. corners.Select(c => (c.Item1, c.Item2, c.Item3 - min))], max.X - min.X, max.Y - min.Y);

        (Vector3, Vector3, Vector2) Corner(int i, Vector2 at, float apex, float along, Vector2 normal)
        {
            var (sin, cos) = MathF.SinCos(2 * MathF.PI * (i % Segments) / Segments);
            float share = i / (float)Segments, angle = turn * share;
            // Along the outline is up on the sheet, whether it leads away from the cone's tip or towards it.
            var flat = isCylinder ? new Vector2(2 * MathF.PI * a.X * share, along)
                : apex * new Vector2(MathF.Sin(angle), b.X > a.X ? MathF.Cos(angle) : -MathF.Cos(angle));
            return (new Vector3(cos * at.X, at.Y, -sin * at.X), Vector3.Normalize(new Vector3(cos * normal.X, normal.Y, -sin * normal.X)), flat);
        }
    }

    public override void AddHigh(HighMesh high, float grainSeed)
    {
        var profile = RoundedOutline();
        // The low piece's sides lie inside the circle; the high one is drawn between the two.
        float shrink = (1 + MathF.Cos(MathF.PI / Segments)) / 2;
        int around = Math.Clamp((int)(2 * MathF.PI * Outline.Max(p => p.X) / 0.0021f), 72, 320);
        high.AddGrid(around + 1, profile.Count, (i, j) =>
        {
            var (sin, cos) = MathF.SinCos(2 * MathF.PI * (i % around) / around);
            var (at, facing) = profile[j];
            var p = new Vector3(cos * at.X * shrink, at.Y, -sin * at.X * shrink);
            var normal = new Vector3(cos * facing.X, facing.Y, -sin * facing.X);
            return at.X <= 0 ? p : p - normal * (Dents * Metal.Knocks(p, grainSeed));
        });
    }

    /// <summary>Points of the outline in fine steps with its corners rounded, each with its outward direction.</summary>
    private List<(Vector2 At, Vector2 Facing)> RoundedOutline()
    {
        const float Step = 0.0015f;
        const int Arc = 4;
        var points = new List<(Vector2, Vector2)>();
        for (int piece = 0; piece < Pieces; piece++)
        {
            Vector2 a = At(piece), b = At(piece + 1), along = Vector2.Normalize(b - a);
            float length = Vector2.Distance(a, b), cutStart = Cut(piece), cutEnd = Cut(piece + 1);
            int steps = Math.Max(1, (int)((length - cutStart - cutEnd) / Step));
            for (int i = 0; i <= steps; i++)
            {
                float share = i / (float)steps;
                points.Add((a + along * (cutStart + (length - cutStart - cutEnd) * share),
                    Vector2.Normalize(Vector2.Lerp(Normal(piece, false), Normal(piece, true), share))));
            }
            if (cutEnd <= 0)
                continue;
            Vector2 start = b - along * cutEnd, end = b + Vector2.Normalize(At(piece + 2) - b) * cutEnd;
            for (int i = 1; i < Arc; i++)
            {
                float t = i / (float)Arc;
                var bend = Vector2.Lerp(Vector2.Lerp(start, b, t), Vector2.Lerp(b, end, t), t);
                points.Add((bend, Vector2.Normalize(Vector2.Lerp(Facing(piece), Facing((piece + 1) % Pieces), t))));
            }
        }
        // A closed outline comes back to where it began.
        if (!IsOpen)
            points.Add(points[0]);
        return points;

        float Cut(int corner)
        {
            if (IsOpen && (corner == 0 || corner == Pieces))
                return 0;
            int before = (corner - 1 + Pieces) % Pieces, after = corner % Pieces;
            bool isEdge = Vector2.Dot(Facing(before), Facing(after)) < SmoothBend;
            float room = 0.4f * MathF.Min(Vector2.Distance(At(corner - 1), At(corner)), Vector2.Distance(At(corner), At(corner + 1)));
            return isEdge ? MathF.Min(Round, room) : 0;
        }
    }
}

/// <summary>What years outside do to sheet metal.</summary>
internal static class Metal
{
    /// <summary>Knocks and a slight unevenness, 0 to 1.</summary>
    public static float Knocks(Vector3 p, float seed)
    {
        float wave = Wood.Noise(p.X * 60, p.Y * 60, p.Z * 60, seed), fine = Wood.Noise(p.X * 420, p.Y * 420, p.Z * 420, seed + 3);
        float knock = MathF.Max(0, wave - 0.62f) / 0.38f;
        return 0.75f * knock * knock + 0.12f * fine;
    }
}
