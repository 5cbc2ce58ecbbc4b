using System.Diagnostics;
using System.Globalization;
using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Layout;
using Crumpet.Demo;

namespace Crumpet.Bench;

/// <summary><c>layout</c>: unwraps and packs the demo's low sides and generated shapes, and prints a table of time, room, spread and stretch.</summary>
internal static class LayoutTable
{
    private const int Size = 2048;
    private const float Slack = 15;

    public static void Print()
    {
        Console.WriteLine("shape                    tris  islands  even s   room %  spread %  stretch mean/95 %/worst %   slack s   room %");
        foreach (var (name, meshes) in Shapes())
        {
            var even = Run(meshes, 0, out double seconds);
            string slack = "      –        –";
            if (meshes.Count > 1)
            {
                var with = Run(meshes, Slack, out double slackSeconds);
                slack = string.Create(CultureInfo.InvariantCulture, $"{slackSeconds,7:0.0} {100 * with.RoomUsed,8:0.0}");
            }
            var s = even.AngleStretch;
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
                $"{name,-20} {even.Triangles,8} {even.Islands,8} {seconds,7:0.0} {100 * even.RoomUsed,8:0.0} {100 * even.DensitySpread,9:0.00}   "
                    + $"{100 * (s.Mean - 1),7:0.0} / {100 * (s.Most - 1),4:0.0} / {100 * (s.Worst - 1),5:0.0}        {slack}"));
        }
    }

    private static LayoutReport Run(IReadOnlyList<Mesh> meshes, float slack, out double seconds)
    {
        var settings = new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true, SlackPercent = slack };
        var watch = Stopwatch.StartNew();
        var result = LayoutStation.Run(new LayoutInput([.. meshes.Select(m => new LayoutObject(m, m.Name))], settings,
            Size)
        { Threads = Environment.ProcessorCount });
        seconds = watch.Elapsed.TotalSeconds;
        return result.Report;
    }

    private static IEnumerable<(string Name, IReadOnlyList<Mesh> Meshes)> Shapes()
    {
        yield return ("louvre screen", LouvreScreen.Low().Meshes);
        yield return ("anemometer", CupAnemometer.Low().Meshes);
        // Its sheet of one part in another material is not what is measured.
        yield return ("rain gauge", [.. RainGauge.Low().Meshes.Select(m => m with { TriangleMaterials = new int[m.TriangleCount] })]);
        yield return ("torus", [Torus(60, 30)]);
        yield return ("gear", [Gear(24)]);
        yield return ("rock", [Rock(174, 87)]);
        yield return ("torus, 100 000", [Torus(320, 157)]);
    }

    private static Mesh Torus(int around, int tube) => Grid("torus", around, tube, (u, v) =>
    {
        var (sin, cos) = MathF.SinCos(-2 * MathF.PI * v);
        return Around(u, 1 + 0.4f * cos, 0.4f * sin);
    });

    /// <summary>A gear's disc with teeth and a bore.</summary>
    private static Mesh Gear(int teeth)
    {
        // Its outline runs around a ring of quads: bore below and above, teeth above and below.
        (float Radius, float Height)[] ring = [(0.25f, -0.15f), (0.25f, 0.15f), (1, 0.15f), (1, -0.15f), (0.25f, -0.15f)];
        return Grid("gear", 8 * teeth, 4, (u, v) =>
        {
            var (radius, height) = ring[(int)MathF.Round(4 * v)];
            float at = 8 * teeth * u % 8;
            return Around(u, radius > 0.5f && at is > 1.5f and < 5.5f ? radius + 0.12f : radius, height);
        });
    }

    private static Mesh Rock(int around, int down) => Grid("rock", around, down, (u, v) =>
    {
        var (sin, cos) = MathF.SinCos(MathF.PI * Math.Clamp(v, 0, 1));
        var p = Around(u, v is 0 or 1 ? 0 : sin, -cos);
        float lump = MathF.Sin(3.1f * p.X + 1) * MathF.Cos(2.7f * p.Y) + MathF.Sin(4.3f * p.Z + 2) * 0.6f + MathF.Sin(9 * p.X + 7 * p.Y - 8 * p.Z) * 0.25f;
        return p * (1 + 0.22f * lump);
    });

    private static Vector3 Around(float u, float radius, float y)
    {
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * (u >= 1 ? 0 : u));
        return new Vector3(radius * cos, y, -radius * sin);
    }

    private static Mesh Grid(string name, int across, int up, Func<float, float, Vector3> place)
    {
        Vector3[] positions = [.. Enumerable.Range(0, (across + 1) * (up + 1))
            .Select(i => place(i % (across + 1) / (float)across, i / (across + 1) / (float)up))];
        var corners = new List<int>();
        for (int i = 0; i < across * up; i++)
        {
            int a = i / across * (across + 1) + i % across, b = a + 1, c = b + across + 1, d = a + across + 1;
            foreach (int[] t in (int[][])[[a, b, c], [a, c, d]])
            {
                if (Vector3.Cross(positions[t[1]] - positions[t[0]], positions[t[2]] - positions[t[0]]).Length() > 1e-9f)
                    corners.AddRange(t);
            }
        }
        return new Mesh { Name = name, Positions = positions, Corners = [.. corners], TriangleMaterials = new int[corners.Count / 3] };
    }
}
