using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

/// <summary>What stands outside a cage, by a measure that knows nothing of how it was found.</summary>
public sealed class CageWindingTests
{
    [Theory]
    [InlineData(2)]
    [InlineData(4)]
    [InlineData(8)]
    [InlineData(10)]
    public void What_stands_outside_a_cage_is_what_its_winding_number_says_and_no_farther_off_than_the_surface(int seed)
    {
        // Rocks with folds, thin places and a low side of few triangles.
        float[] k = [.. Enumerable.Range(0, 6).Select(i => 6 * Shapes.Unit((uint)(97 * seed + i)) - 3)];
        Mesh low = Rock("rock_low", 12, 7, 0), high = Rock("rock_high", 96, 64, 0.003f);
        var settings = new RaysSettings(CageKind.Reach, RayDirection.Smooth, 0, 0.012f, 0.02f, 0, []);
        var rays = PartRays.Build(settings, [low], SurfaceTree.Build([high]), [], 2, default);
        Assert.True(rays.Outside.Length > 100);
        // Rays go as far wherever they start, so between corners whose directions part the shell bulges.
        const int Cuts = 12;
        Vector3 At(int c, int i, int j)
        {
            float u = (float)i / Cuts, v = (float)j / Cuts, w = 1 - u - v;
            var d = rays.Rays[0].Directions;
            return w * low.PositionAt(c) + u * low.PositionAt(c + 1) + v * low.PositionAt(c + 2)
                + 0.012f * Vector3.Normalize(w * d[c] + u * d[c + 1] + v * d[c + 2]);
        }
        var shell = Enumerable.Range(0, low.TriangleCount).SelectMany(t => Enumerable.Range(0, Cuts).SelectMany(i =>
            Enumerable.Range(0, Cuts - i).SelectMany(j =>
            (Vector3[])[At(3 * t, i, j), At(3 * t, i + 1, j), At(3 * t, i, j + 1), .. i + j < Cuts - 1
                ? new[] { At(3 * t, i + 1, j), At(3 * t, i + 1, j + 1), At(3 * t, i, j + 1) } : []]))).ToArray();
        var told = rays.Outside.ToHashSet();
        int wrong = 0;
        for (int i = 0; i < high.Positions.Length; i += 11)
            wrong += told.Contains(high.Positions[i]) != (Math.Abs(Winding(high.Positions[i], shell)) < 0.5) ? 1 : 0;
        // Where a shell folds over itself the two have no one answer.
        Assert.InRange(wrong, 0, high.Positions.Length / 11 / 100);
        double farthest = rays.Outside.Max(p => Enumerable.Range(0, shell.Length / 3)
            .Min(t => Vector3.Distance(p, SurfaceTree.ClosestOnTriangle(p, shell[3 * t], shell[3 * t + 1], shell[3 * t + 2]))));
        Assert.Equal(farthest, rays.Report.OutsideMetres, 0.02 * 0.012);

        Mesh Rock(string name, int around, int down, float fine)
        {
            var ball = Shapes.Sphere(name, around, down);
            return ball with { Positions = Array.ConvertAll(ball.Positions, p => Place(Vector3.Normalize(p), fine)), Normals = null };
        }

        Vector3 Place(Vector3 p, float fine) => 0.15f * p * (1 + 0.25f * MathF.Sin(3 * k[0] * p.X + k[1]) * MathF.Cos(3 * k[2] * p.Y + k[3])
            + 0.2f * MathF.Sin(2 * k[4] * p.Z + 4 * k[5] * p.X) + fine * MathF.Sin(60 * p.X) * MathF.Cos(50 * p.Y + 40 * p.Z));
    }

    /// <summary>How often a closed surface goes round a point. Source: A. Van Oosterom, J. Strackee, "The solid angle of a plane triangle", 1983.</summary>
    private static double Winding(Vector3 point, Vector3[] corners)
    {
        double sum = 0;
        for (int c = 0; c < corners.Length; c += 3)
        {
            Vector3 a = corners[c] - point, b = corners[c + 1] - point, d = corners[c + 2] - point;
            double la = a.Length(), lb = b.Length(), ld = d.Length();
            sum += 2 * Math.Atan2(Vector3.Dot(a, Vector3.Cross(b, d)), la * lb * ld + Vector3.Dot(a, b) * ld + Vector3.Dot(b, d) * la + Vector3.Dot(d, a) * lb);
        }
        return sum / (4 * Math.PI);
    }
}
