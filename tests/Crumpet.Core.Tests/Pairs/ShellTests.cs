using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

/// <summary>From points to places of a shell, the offsets that hold heights, and what the stage gets.</summary>
public sealed class ShellTests
{
    [Property(MaxTest = 5000)]
    public void Roots_of_a_cubic_made_from_them_are_found(short one, short two, short three, byte lead)
    {
        double a = 0.5 + lead / 64.0, r = one / 4096.0, s = two / 4096.0, t = three / 4096.0;
        double[] roots = new double[3];
        int count = CubicRoots.Find(a, -a * (r + s + t), a * (r * s + s * t + t * r), -a * r * s * t, roots);
        Assert.InRange(count, 1, 3);
        foreach (double x in roots[..count])
            Assert.True(new[] { r, s, t }.Min(y => Math.Abs(x - y)) < 2e-4, $"{x} is none of {r}, {s}, {t}");
        // Roots well apart are all there.
        if (Math.Min(Math.Abs(r - s), Math.Min(Math.Abs(s - t), Math.Abs(t - r))) > 0.05)
            Assert.Equal(3, count);
    }

    [Fact]
    public void Roots_that_fall_together_are_not_thrown_away_by_refining()
    {
        double[] roots = new double[3];
        for (int twice = -40; twice <= 40; twice++)
        {
            for (int once = -40; once <= 40; once++)
            {
                for (double a = 0.5; a < 4; a += 1.0 / 64)
                {
                    double r = twice / 4096.0, s = once / 4096.0;
                    int count = CubicRoots.Find(a, -a * (2 * r + s), a * (r * r + 2 * r * s), -a * r * r * s, roots);
                    Assert.InRange(count, 1, 3);
                    for (int i = 0; i < count; i++)
                        Assert.True(Math.Min(Math.Abs(roots[i] - r), Math.Abs(roots[i] - s)) < 2e-5, $"{roots[i]} is none of {r}, {r}, {s}");
                }
            }
        }
    }

    [Theory]
    [InlineData(0, 1, -3, 2, 2)]
    [InlineData(0, 0, 2, -1, 1)]
    [InlineData(0, 0, 0, 1, 0)]
    [InlineData(0, 1, 0, 1, 0)]
    public void Lower_degrees_have_their_own_roots(double a, double b, double c, double d, int expected)
    {
        double[] roots = new double[3];
        Assert.Equal(expected, CubicRoots.Find(a, b, c, d, roots));
        foreach (double x in roots[..expected])
            Assert.Equal(0, ((a * x + b) * x + c) * x + d, 9);
    }

    [Fact]
    public void A_point_made_from_weights_and_a_height_gives_them_back()
    {
        var random = new Random(9);
        for (int round = 0; round < 2000; round++)
        {
            Vector3[] corners = [new(0, 0, 0), new(1 + random.NextSingle(), 0.2f * random.NextSingle(), 0),
                new(0.3f * random.NextSingle(), 0.2f * random.NextSingle(), -1 - random.NextSingle())];
            Vector3[] directions = [.. corners.Select(_ => Vector3.Normalize(new Vector3(random.NextSingle() - 0.5f, 1.2f, random.NextSingle() - 0.5f)))];
            float u = random.NextSingle(), v = random.NextSingle() * (1 - u), height = 0.4f * (random.NextSingle() - 0.5f);
            var point = (1 - u - v) * (corners[0] + height * directions[0]) + u * (corners[1] + height * directions[1])
                + v * (corners[2] + height * directions[2]);
            Assert.True(ShellMap.Solve(point, corners, directions, out double foundU, out double foundV, out double foundHeight), $"round {round}");
            Assert.Equal(height, foundHeight, 1e-4);
            Assert.Equal(u, foundU, 1e-3);
            Assert.Equal(v, foundV, 1e-3);
        }
        Assert.False(ShellMap.Solve(new Vector3(5, 0.1f, 5), [Vector3.Zero, Vector3.UnitX, -Vector3.UnitZ], [Vector3.UnitY, Vector3.UnitY, Vector3.UnitY],
            out _, out _, out _));
    }

    [Fact]
    public void Offsets_reach_every_height_and_not_one_can_be_less()
    {
        var random = new Random(6);
        for (int round = 0; round < 20; round++)
        {
            Cover[] covers = [.. Enumerable.Range(0, 200).Select(_ =>
            {
                int[] v = [.. Enumerable.Range(0, 30).OrderBy(_ => random.Next()).Take(3)];
                float a = random.NextSingle(), b = random.NextSingle() * (1 - a);
                return new Cover(v[0], v[1], v[2], a, b, 1 - a - b, 0.001f + 0.05f * random.NextSingle());
            })];
            var solver = new CoverSolver(covers, 30);
            float[] offsets = solver.Solve(default);
            Assert.All(covers, c => Assert.True(c.Reached(offsets) >= c.Height - 1e-6f));
            Assert.All(offsets, o => Assert.True(o >= 0));
            for (int v = 0; v < 30; v++)
                Assert.InRange(offsets[v], solver.Needed(v, offsets) - 2e-4f, solver.Needed(v, offsets) + 2e-4f);
        }
        Assert.Equal([0.25f, 0, 0], new CoverSolver([new Cover(0, 1, 2, 1, 0, 0, 0.25f)], 3).Solve(default), (x, y) => MathF.Abs(x - y) < 1e-5f);
        Assert.Equal([0f, 0], new CoverSolver([], 2).Solve(default));
    }

    [Fact]
    public void The_stage_gets_each_parts_cage_hairs_and_what_stands_outside()
    {
        var plane = Shapes.Plane("lid_low");
        LowRays rays = new([.. Enumerable.Repeat(Vector3.UnitY, 6)], null, [.. Enumerable.Repeat(0.3f, 6)]);
        byte[] bytes = RaysPreview.Write([new PreviewedRays("lid", [plane], [rays], 0.1f, [new(1, 2, 3)])]);
        Assert.Equal("CRP1"u8.ToArray(), bytes[..4]);
        int length = BitConverter.ToInt32(bytes, 4), start = 8 + length;
        Assert.Equal(0, length % 4);
        var part = Assert.Single(JsonDocument.Parse(bytes.AsMemory(8, length)).RootElement.GetProperty("parts").EnumerateArray());
        Assert.Equal(("lid", 2, 4, 1), (part.GetProperty("name").GetString(), part.GetProperty("triangles").GetInt32(), part.GetProperty("hairCount")
            .GetInt32(), part.GetProperty("outsideCount").GetInt32()));
        Assert.Equal(plane.PositionAt(0) + 0.1f * Vector3.UnitY, At(part.GetProperty("cage").GetInt32()));
        Assert.Equal(0.1f, At(part.GetProperty("hairs").GetInt32()).Y);
        Assert.Equal(-0.3f, At(part.GetProperty("hairs").GetInt32() + 12).Y);
        Assert.Equal(new Vector3(1, 2, 3), At(part.GetProperty("outside").GetInt32()));

        Vector3 At(int offset) =>
            new(BitConverter.ToSingle(bytes, start + offset), BitConverter.ToSingle(bytes, start + offset + 4),
            BitConverter.ToSingle(bytes, start + offset + 8));
    }

    [Fact]
    public void Fit_is_measured_within_each_reach_on_its_own_side()
    {
        Mesh low = Shapes.Plane("low"), above = Shapes.Plane("high", 2, height: 0.02f), below = Shapes.Plane("high", 2, height: -0.02f);
        Assert.Equal(1, FitMeasure.Of([low], SurfaceTree.Build([above]), new ReachSettings(0.03f, 0.01f)).Share);
        Assert.Equal(0, FitMeasure.Of([low], SurfaceTree.Build([below]), new ReachSettings(0.03f, 0.01f)).Share);
        Assert.Equal(1, FitMeasure.Of([low], SurfaceTree.Build([below]), new ReachSettings(0.01f, 0.03f)).Share);
        // Half the low surface has something above it.
        var half = Shapes.Plane("high", 1, height: 0.01f);
        half = half with { Positions = Array.ConvertAll(half.Positions, p => p with { X = p.X + 0.5f }) };
        Assert.Equal(0.5, FitMeasure.Of([low], SurfaceTree.Build([half]), new ReachSettings(0.0101f, 0.01f)).Share, 0.02);
    }
}
