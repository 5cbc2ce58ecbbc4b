using System.Numerics;

namespace Crumpet.Demo;

/// <summary>A face of the low side laid flat: its texture coordinates are metres until the sheet is laid out.</summary>
/// <param name="Corners">Positions and flat places, three a triangle.</param>
/// <param name="Width">Metres.</param>
/// <param name="Height">Metres.</param>
internal sealed record Island(List<(Vector3 Position, Vector3 Normal, Vector2 Flat)> Corners, float Width, float Height);

/// <summary>One part of an asset in its own space, in both sides.</summary>
internal abstract record Shape
{
    /// <summary>Islands of the low side.</summary>
    public abstract IEnumerable<Island> Low();

    /// <summary>Adds the high side's grids.</summary>
    public abstract void AddHigh(HighMesh high, float grainSeed);
}

/// <summary>A board with its length along X, bent by <paramref name="Sag"/> metres in the middle.</summary>
/// <param name="Size">Extents, metres.</param>
/// <param name="Segments">Pieces the low side is cut into along the length.</param>
/// <param name="Sag">How far the middle hangs, metres.</param>
/// <param name="Screws">Where screws sit on the top face: x and z, metres.</param>
internal sealed record Board(Vector3 Size, int Segments, float Sag, IReadOnlyList<Vector2> Screws) : Shape
{
    private const float EdgeRadius = 0.0022f;

    public override IEnumerable<Island> Low()
    {
        var h = Size / 2;
        yield return Face(Vector3.UnitY, h.Y, Vector3.UnitX, h.X, -Vector3.UnitZ, h.Z, Segments);
        yield return Face(-Vector3.UnitY, h.Y, Vector3.UnitX, h.X, Vector3.UnitZ, h.Z, Segments);
        yield return Face(Vector3.UnitZ, h.Z, Vector3.UnitX, h.X, Vector3.UnitY, h.Y, Segments);
        yield return Face(-Vector3.UnitZ, h.Z, -Vector3.UnitX, h.X, Vector3.UnitY, h.Y, Segments);
        yield return Face(Vector3.UnitX, h.X, -Vector3.UnitZ, h.Z, Vector3.UnitY, h.Y, 1);
        yield return Face(-Vector3.UnitX, h.X, Vector3.UnitZ, h.Z, Vector3.UnitY, h.Y, 1);
    }

    private Island Face(Vector3 normal, float depth, Vector3 right, float halfRight, Vector3 up, float halfUp, int segments)
    {
        var corners = new List<(Vector3, Vector3, Vector2)>();
        for (int i = 0; i < segments; i++)
        {
            float x0 = -halfRight + 2 * halfRight * i / segments, x1 = -halfRight + 2 * halfRight * (i + 1) / segments;
            var a = Corner(x0, -halfUp);
            var b = Corner(x1, -halfUp);
            var c = Corner(x1, halfUp);
            var d = Corner(x0, halfUp);
            corners.AddRange([a, b, c, a, c, d]);
        }
        return new Island(corners, 2 * halfRight, 2 * halfUp);

        (Vector3, Vector3, Vector2) Corner(float x, float y)
        {
            var p = normal * depth + right * x + up * y;
            return (Bend(p), BendNormal(p, normal), new Vector2(x + halfRight, y + halfUp));
        }
    }

    private Vector3 Bend(Vector3 p)
    {
        float along = 2 * p.X / Size.X;
        return p with { Y = p.Y - Sag * (1 - along * along) };
    }

    // The bend shears y by its slope; normals follow by the inverse transpose.
    private Vector3 BendNormal(Vector3 p, Vector3 n)
    {
        float slope = 8 * Sag * p.X / (Size.X * Size.X);
        return Vector3.Normalize(n with { X = n.X - slope * n.Y });
    }

    public override void AddHigh(HighMesh high, float grainSeed)
    {
        var h = Size / 2;
        float radius = Math.Min(EdgeRadius, 0.45f * Math.Min(h.X, Math.Min(h.Y, h.Z)));
        float[] xs = Lines(h.X, radius, 0.0055f), ys = Lines(h.Y, radius, 0.004f), zs = Lines(h.Z, radius, 0.0036f);
        Grid(xs, zs, (x, z) => new Vector3(x, h.Y, -z));
        Grid(xs, zs, (x, z) => new Vector3(x, -h.Y, z));
        Grid(xs, ys, (x, y) => new Vector3(x, y, h.Z));
        Grid(xs, ys, (x, y) => new Vector3(-x, y, -h.Z));
        Grid(zs, ys, (z, y) => new Vector3(h.X, y, -z));
        Grid(zs, ys, (z, y) => new Vector3(-h.X, y, z));
        foreach (var screw in Screws)
            high.AddScrew(Bend(new Vector3(screw.X, h.Y, screw.Y)), grainSeed + screw.X * 31);

        void Grid(float[] us, float[] vs, Func<float, float, Vector3> place) => high.AddGrid(us.Length, vs.Length, (i, j) =>
        {
            var box = place(us[i], vs[j]);
            var inner = Vector3.Clamp(box, -h + new Vector3(radius), h - new Vector3(radius));
            var normal = Vector3.Normalize(box - inner);
            var p = inner + normal * radius;
            // Raised so that grain and dents stay under the low surface, as they do in wood that was planed first.
            float grain = Wood.Grain(p, grainSeed) + Wood.Dents(p, Size, grainSeed);
            return Bend(p + normal * grain);
        });
    }

    private static float[] Lines(float half, float radius, float step)
    {
        int inner = Math.Max(1, (int)MathF.Round(2 * (half - radius) / step));
        const int round = 2;
        var lines = new List<float>();
        for (int i = 0; i < round; i++)
            lines.Add(-half + radius * Ease(i));
        for (int i = 0; i <= inner; i++)
            lines.Add(-half + radius + 2 * (half - radius) * i / inner);
        for (int i = round - 1; i >= 0; i--)
            lines.Add(half - radius * Ease(i));
        return [.. lines];

        static float Ease(int i) => 1 - MathF.Tan((round - i) * MathF.PI / (4 * round));
    }
}

/// <summary>An upright turned piece around Y.</summary>
/// <param name="Radius">Metres.</param>
/// <param name="Height">Metres.</param>
/// <param name="Segments">Sides of the low piece.</param>
/// <param name="Grooves">Turned grooves of the high piece.</param>
internal sealed record Turned(float Radius, float Height, int Segments, int Grooves) : Shape
{
    public override IEnumerable<Island> Low()
    {
        var side = new List<(Vector3, Vector3, Vector2)>();
        float length = 2 * MathF.PI * Radius, h = Height / 2;
        for (int i = 0; i < Segments; i++)
        {
            var a = Side(i, -h);
            var b = Side(i + 1, -h);
            var c = Side(i + 1, h);
            var d = Side(i, h);
            side.AddRange([a, b, c, a, c, d]);
        }
        yield return new Island(side, length, Height);
        foreach (int up in (int[])[1, -1])
        {
            var cap = new List<(Vector3, Vector3, Vector2)>();
            for (int i = 1; i < Segments - 1; i++)
                cap.AddRange(up > 0 ? [Cap(0), Cap(i), Cap(i + 1)] : [Cap(0), Cap(i + 1), Cap(i)]);
            yield return new Island(cap, 2 * Radius, 2 * Radius);

            (Vector3, Vector3, Vector2) Cap(int i)
            {
                var rim = Rim(i);
                var p = new Vector3(rim.X * Radius, up * h, rim.Z * Radius);
                return (p, new Vector3(0, up, 0), new Vector2(Radius + p.X, Radius - up * p.Z));
            }
        }

        (Vector3, Vector3, Vector2) Side(int i, float y)
        {
            var rim = Rim(i);
            return (new Vector3(rim.X * Radius, y, rim.Z * Radius), rim, new Vector2(length * i / Segments, y + h));
        }
    }

    // Seen from above the rim runs against the clock with -Z up the page, so that sides face outward.
    private Vector3 Rim(int i)
    {
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * (i % Segments) / Segments);
        return new Vector3(cos, 0, -sin);
    }

    public override void AddHigh(HighMesh high, float grainSeed)
    {
        const float Round = 0.0018f;
        // The low piece's sides lie inside the circle; the high one is drawn between the two.
        float radius = Radius * (1 + MathF.Cos(MathF.PI / Segments)) / 2;
        var profile = new List<Vector2> { new(0, -Height / 2) };
        int rings = Math.Max(2, (int)(radius / 0.002f));
        for (int i = 1; i <= rings; i++)
            profile.Add(new Vector2((radius - Round) * i / rings, -Height / 2));
        for (int i = 1; i <= 4; i++)
            profile.Add(Bevel(i, -1));
        int steps = Math.Max(8, (int)(Height / 0.0012f));
        for (int i = 1; i < steps; i++)
            profile.Add(new Vector2(radius - Groove(i / (float)steps), -Height / 2 + Round + (Height - 2 * Round) * i / steps));
        for (int i = 4; i >= 0; i--)
            profile.Add(Bevel(i, 1));
        for (int i = rings - 1; i >= 0; i--)
            profile.Add(new Vector2((radius - Round) * i / rings, Height / 2));
        const int Around = 64;
        high.AddGrid(Around + 1, profile.Count, (i, j) =>
        {
            var (sin, cos) = MathF.SinCos(2 * MathF.PI * (i % Around) / Around);
            return new Vector3(cos * profile[j].X, profile[j].Y, -sin * profile[j].X);
        });

        Vector2 Bevel(int i, int side)
        {
            var (sin, cos) = MathF.SinCos(i * MathF.PI / 8);
            return new Vector2(radius - Round + Round * sin, side * (Height / 2 - Round + Round * cos));
        }

        float Groove(float at)
        {
            float wave = 0;
            for (int i = 1; i <= Grooves; i++)
            {
                float d = (at - i / (Grooves + 1f)) * Height / 0.0016f;
                wave += 0.0012f * MathF.Exp(-d * d);
            }
            return wave;
        }
    }
}
