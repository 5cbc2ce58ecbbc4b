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
    private const int Moments = 12;

    /// <param name="only">Part of the names of the shapes that are wanted; empty for all.</param>
    /// <param name="hard">What hard edges are to seams.</param>
    /// <param name="rotation">How islands may be turned.</param>
    public static void Print(string only, HardEdgeRule hard, PackRotation rotation)
    {
        Console.WriteLine("shape                    tris  islands   seams m    seen m  stretch mean/95 %  "
            + "first s  room %  near s  best s  room %  left ×  slack s  room %");
        foreach (var (name, meshes) in Shapes().Where(s => s.Name.Contains(only, StringComparison.Ordinal)))
        {
            var input = Input(meshes, 0, hard, rotation);
            // As in the application: what stands first, a short search, and the whole one after them.
            var runs = new List<(double At, double Room)>();
            double at = 0, off = 1;
            LayoutReport report = null!;
            for (int draft = LayoutSettings.FirstDraft; draft >= 0; draft--)
            {
                (report, double seconds, off) = Run(input with { Settings = input.Settings with { Draft = draft } });
                runs.Add((at += seconds, report.RoomUsed));
            }
            double near = runs.First(r => r.Room >= report.RoomUsed - 0.03).At;
            string slack = "      –       –";
            if (meshes.Count > 1)
            {
                var (with, slackSeconds, _) = Run(Input(meshes, Slack, hard, rotation));
                slack = string.Create(CultureInfo.InvariantCulture, $"{slackSeconds,7:0.0} {100 * with.RoomUsed,7:0.0}");
            }
            var s = report.AngleStretch;
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
                $"{name,-20} {report.Triangles,8} {report.Islands,8} {report.SeamMetres,9:0.00} {report.SeenSeamMetres,9:0.00}  "
                    + $"{100 * (s.Mean - 1),9:0.0} / {100 * (s.Most - 1),4:0.0} "
                    + $"{runs[0].At,8:0.0} {100 * runs[0].Room,7:0.0} {near,7:0.0} {at,7:0.0} {100 * report.RoomUsed,7:0.0} {off,7:0.0}  {slack}"));
        }
    }

    /// <param name="only">Part of the names of the shapes that are wanted; empty for all.</param>
    /// <param name="hard">What hard edges are to seams.</param>
    public static void PrintSeams(string only, HardEdgeRule hard)
    {
        Console.WriteLine("shape                    tris       s  islands   seams m    seen m   angle stretch mean/95 %/worst %");
        foreach (var (name, meshes) in Shapes().Where(s => s.Name.Contains(only, StringComparison.Ordinal)))
        {
            var input = Input(meshes, 0, hard, PackRotation.Free);
            var watch = Stopwatch.StartNew();
            var seams = SeamOutlook.Of(input);
            var s = seams.AngleStretch;
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
                $"{name,-20} {meshes.Sum(m => m.TriangleCount),8} {watch.Elapsed.TotalSeconds,7:0.00} {seams.Islands,8} {seams.SeamMetres,9:0.00} "
                    + $"{seams.SeenSeamMetres,9:0.00}   {100 * (s.Mean - 1),7:0.0} / {100 * (s.Most - 1),4:0.0} / {100 * (s.Worst - 1),5:0.0}"));
        }
    }

    /// <summary>Cancels at a dozen moments and prints how long the longest took to end.</summary>
    /// <param name="only">Part of the names of the shapes that are wanted; empty for all.</param>
    public static void PrintCancel(string only)
    {
        Console.WriteLine("shape                 until cancelled, ms: longest, at s");
        foreach (var (name, meshes) in Shapes().Where(s => s.Name.Contains(only, StringComparison.Ordinal)))
        {
            var input = Input(meshes, 0, HardEdgeRule.Cut, PackRotation.Free);
            double all = Run(input).Seconds, longest = 0, when = 0;
            for (int i = 0; i < Moments; i++)
            {
                double at = (i + 0.5) / Moments * all;
                using var cancel = new CancellationTokenSource(TimeSpan.FromSeconds(at));
                var watch = Stopwatch.StartNew();
                try
                {
                    LayoutStation.Run(input, null, cancel.Token);
                    continue;
                }
                catch (OperationCanceledException)
                {
                    if (watch.Elapsed.TotalSeconds - at > longest)
                        (longest, when) = (watch.Elapsed.TotalSeconds - at, at);
                }
            }
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{name,-20} {1000 * longest,8:0} {when,8:0.0}"));
        }
    }

    private static LayoutInput Input(IReadOnlyList<Mesh> meshes, float slack, HardEdgeRule hard, PackRotation rotation) => new(
        [.. meshes.Select(m => new LayoutObject(m, m.Name))],
        new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true, SlackPercent = slack, Rotation = rotation, Unwrap = new() { HardEdges = hard } }, Size)
    { Threads = Environment.ProcessorCount };

    /// <summary>Lays out, and says how many times too long or too short the time left was told at worst, from a tenth of the time to nine.</summary>
    private static (LayoutReport Report, double Seconds, double Off) Run(LayoutInput input)
    {
        var watch = Stopwatch.StartNew();
        var told = new Told(watch);
        var report = LayoutStation.Run(input, told).Report;
        double seconds = watch.Elapsed.TotalSeconds, off = 1;
        foreach (var (at, fraction) in told.All.Where(t => t.At > 0.1 * seconds && t.At < 0.9 * seconds))
        {
            double wrong = at * (1 - fraction) / fraction / (seconds - at);
            off = Math.Max(off, Math.Max(wrong, 1 / wrong));
        }
        return (report, seconds, off);
    }

    private sealed class Told(Stopwatch watch) : IProgress<Core.Progress>
    {
        public List<(double At, double Fraction)> All { get; } = [];

        public void Report(Core.Progress value)
        {
            lock (All)
                All.Add((watch.Elapsed.TotalSeconds, Math.Max(1e-3, value.Fraction)));
        }
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
        yield return ("figure", [Figure(42, 22)]);
        yield return ("rotor", [Wheel("rotor", 6, 3)]);
        yield return ("turbine", [Wheel("turbine", 36, 9)]);
        yield return ("fifteen parts", [.. Enumerable.Range(0, 5).Select(i => Rock(24 + 2 * i, 12) with { Name = $"rock_{i}" }),
            .. Enumerable.Range(0, 4).Select(i => Wheel($"wheel_{i}", 8 + 6 * i, 4)),
            .. Enumerable.Range(0, 4).Select(i => Gear(8 + 2 * i) with { Name = $"gear_{i}" }), Figure(42, 22), Wheel("turbine", 36, 9)]);
        yield return ("confetti, 1 000", [Confetti(1000)]);
        yield return ("confetti, 20 000", [Confetti(20_000)]);
        yield return ("torus, 100 000", [Torus(320, 157)]);
    }

    /// <summary>Loose fans of three to nine triangles, no two alike.</summary>
    private static Mesh Confetti(int count)
    {
        var random = new Random(1);
        var positions = new List<Vector3>();
        var corners = new List<int>();
        for (int i = 0; i < count; i++)
        {
            int sides = random.Next(3, 10), middle = positions.Count;
            float size = 0.2f + random.NextSingle();
            positions.Add(new Vector3(3 * i, 0, 0));
            for (int k = 0; k < sides; k++)
            {
                var (sin, cos) = MathF.SinCos(2 * MathF.PI * k / sides);
                positions.Add(positions[middle] + new Vector3(cos, 0, -sin) * size * (0.4f + random.NextSingle()));
                corners.AddRange([middle, middle + 1 + k, middle + 1 + (k + 1) % sides]);
            }
        }
        return new Mesh { Name = "confetti", Positions = [.. positions], Corners = [.. corners], TriangleMaterials = new int[corners.Count / 3] };
    }

    /// <summary>A body with a head and four limbs.</summary>
    private static Mesh Figure(int around, int down)
    {
        (Vector3 Along, float Long, float Thin)[] limbs = [(new(0, 1, 0), 0.9f, 14), (new(0.85f, 0.5f, 0.1f), 1.6f, 30), (new(-0.85f, 0.5f, 0.1f), 1.6f, 30),
            (new(0.4f, -0.9f, 0), 1.8f, 24), (new(-0.4f, -0.9f, 0), 1.8f, 24), (new(0, 0.1f, 1), 0.4f, 40)];
        return Grid("figure", around, down, (u, v) =>
        {
            var (sin, cos) = MathF.SinCos(MathF.PI * Math.Clamp(v, 0, 1));
            var p = Around(u, v is 0 or 1 ? 0 : sin, -cos);
            return p * (1 + limbs.Sum(l => l.Long * MathF.Exp(l.Thin * (Vector3.Dot(p, Vector3.Normalize(l.Along)) - 1))));
        });
    }

    /// <summary>A hub with twisted blades, each closed.</summary>
    private static Mesh Wheel(string name, int blades, int segments)
    {
        var hub = Grid(name, 2 * blades, 3, (u, v) => Around(u, v is > 0.1f and < 0.9f ? 0.3f : 0, v < 0.5f ? -0.1f : 0.1f));
        var positions = hub.Positions.ToList();
        var corners = hub.Corners.ToList();
        for (int b = 0; b < blades; b++)
        {
            var blade = Grid(name, 4, segments, (u, v) =>
            {
                // Its outline runs around a thin section, which turns on the way out.
                float radius = 0.3f + 0.7f * v, twist = 0.3f + 0.9f * v, half = 0.9f / blades, thin = 0.015f;
                var (x, y) = ((int)MathF.Round(4 * u) % 4) switch { 0 => (-half, -thin), 1 => (half, -thin), 2 => (half, thin), _ => (-half, thin) };
                var (sin, cos) = MathF.SinCos(twist);
                float across = x * cos - y * sin, up = x * sin + y * cos;
                var (s, c) = MathF.SinCos(2 * MathF.PI * b / blades);
                return new Vector3(radius * c - across * s, up, radius * s + across * c);
            });
            corners.AddRange(blade.Corners.Select(i => i + positions.Count));
            positions.AddRange(blade.Positions);
        }
        return new Mesh { Name = name, Positions = [.. positions], Corners = [.. corners], TriangleMaterials = new int[corners.Count / 3] };
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
        // Turned so that its faces look outward.
        float volume = 0;
        for (int c = 0; c < corners.Count; c += 3)
            volume += Vector3.Dot(positions[corners[c]], Vector3.Cross(positions[corners[c + 1]], positions[corners[c + 2]]));
        if (volume < 0)
            corners.Reverse();
        return new Mesh { Name = name, Positions = positions, Corners = [.. corners], TriangleMaterials = new int[corners.Count / 3] };
    }
}
