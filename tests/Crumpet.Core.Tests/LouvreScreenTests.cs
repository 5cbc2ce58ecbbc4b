using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using Crumpet.Demo;
using Xunit;

namespace Crumpet.Core.Tests;

/// <summary>The demo asset is what its users rely on: well laid out, closed, and hard to bake on one tray.</summary>
public sealed class LouvreScreenTests
{
    private static readonly Scene Low = LouvreScreen.Low();
    private static readonly Scene High = LouvreScreen.High();

    [Fact]
    public void Every_hard_edge_of_the_low_side_is_a_uv_seam()
    {
        int hard = 0;
        foreach (var mesh in Low.Meshes)
        {
            var edges = new Dictionary<(int, int), int>();
            for (int corner = 0; corner < mesh.Corners.Length; corner++)
                edges[(mesh.Corners[corner], mesh.Corners[Next(corner)])] = corner;
            foreach (var ((a, b), corner) in edges)
            {
                if (a > b || !edges.TryGetValue((b, a), out int other))
                    continue;
                // The neighbour runs the other way: its start is this edge's end.
                bool isHard = Vector3.Distance(mesh.Normals![corner], mesh.Normals[Next(other)]) > 1e-4f
                    || Vector3.Distance(mesh.Normals[Next(corner)], mesh.Normals[other]) > 1e-4f;
                bool isSeam = mesh.Uvs![corner] != mesh.Uvs[Next(other)] || mesh.Uvs[Next(corner)] != mesh.Uvs[other];
                Assert.True(!isHard || isSeam, $"{mesh.Name} has a hard edge without a seam");
                hard += isHard ? 1 : 0;
            }
        }
        Assert.True(hard > 300);

        static int Next(int corner) => corner % 3 == 2 ? corner - 2 : corner + 1;
    }

    [Fact]
    public void The_low_side_is_closed_and_faces_outward()
    {
        foreach (var mesh in Low.Meshes)
        {
            var edges = new HashSet<(int, int)>();
            double volume = 0;
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                for (int i = 0; i < 3; i++)
                    Assert.True(edges.Add((mesh.Corners[3 * t + i], mesh.Corners[3 * t + (i + 1) % 3])), mesh.Name);
                volume += Vector3.Dot(mesh.PositionAt(3 * t), Vector3.Cross(mesh.PositionAt(3 * t + 1), mesh.PositionAt(3 * t + 2))) / 6;
            }
            Assert.All(edges, e => Assert.Contains((e.Item2, e.Item1), edges));
            Assert.True(volume > 0, mesh.Name);
        }
    }

    [Fact]
    public void Islands_do_not_overlap_and_stay_apart()
    {
        const int Size = 1024;
        var owner = new int[Size * Size];
        int number = 0;
        foreach (var mesh in Low.Meshes)
        {
            number++;
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                Vector2 a = mesh.Uvs![3 * t] * Size, b = mesh.Uvs[3 * t + 1] * Size, c = mesh.Uvs[3 * t + 2] * Size;
                for (int y = (int)MathF.Min(a.Y, MathF.Min(b.Y, c.Y)); y <= MathF.Max(a.Y, MathF.Max(b.Y, c.Y)); y++)
                {
                    for (int x = (int)MathF.Min(a.X, MathF.Min(b.X, c.X)); x <= MathF.Max(a.X, MathF.Max(b.X, c.X)); x++)
                    {
                        var p = new Vector2(x + 0.5f, y + 0.5f);
                        if (Cross(b - a, p - a) < 0 || Cross(c - b, p - b) < 0 || Cross(a - c, p - c) < 0)
                            continue;
                        Assert.True(owner[y * Size + x] == 0 || owner[y * Size + x] == number, $"{mesh.Name} overlaps another part");
                        owner[y * Size + x] = number;
                    }
                }
            }
        }
        // Two pixels of room at half the size the demo is made for.
        for (int y = 0; y < Size; y++)
            for (int x = 2; x < Size; x++)
                Assert.True(owner[y * Size + x] == 0 || owner[y * Size + x - 2] == 0 || owner[y * Size + x] == owner[y * Size + x - 2]);

        static float Cross(Vector2 p, Vector2 q) => p.X * q.Y - p.Y * q.X;
    }

    [Fact]
    public void Apart_it_bakes_without_a_fault_and_together_slats_burn_into_each_other()
    {
        var parts = Low.Meshes.Zip(High.Meshes, (low, high) => new BakePart(low.Name[..^"_low".Length], [low], [high])).ToArray();
        var settings = new BakeSettings { Size = 512, Samples = 1, Maps = [BakeMap.Normal], OutwardReachMetres = 0.012f, InwardReachMetres = 0.02f };
        var apart = Baker.Bake(new BakeInput("s", parts, [.. Enumerable.Range(0, parts.Length).Select(i => new BakeTray([i]))]), settings, 2, null, default);
        var together = Baker.Bake(new BakeInput("s", parts, [new BakeTray([.. Enumerable.Range(0, parts.Length)])]), settings, 2, null, default);
        Assert.DoesNotContain(apart.Faults, f => f.Kind != FaultKind.Skew);
        Assert.Contains(together.Faults, f => f.Kind == FaultKind.Neighbour && f.Part.StartsWith("slat_south", StringComparison.Ordinal)
            && f.Other.StartsWith("slat_south", StringComparison.Ordinal));
    }

    [Fact]
    public void Its_46_parts_need_three_trays_and_on_three_nothing_burns_in()
    {
        var names = NameReader.Create(Sides.DefaultPattern, new NameRules());
        Mesh[] meshes = [.. Low.Meshes, .. High.Meshes];
        var objects = meshes.Select(m => new ObjectReport("f", m.Name, names.Read(m.Name)!.Part, names.Read(m.Name)!.Side, m.TriangleCount, m.PolygonCount,
            m.Positions.Length, [], 1, true, false, [1, 1, 1])).ToArray();
        var settings = new BakeSettings { Size = 512, Samples = 1, Maps = [BakeMap.Normal], OutwardReachMetres = 0.012f, InwardReachMetres = 0.02f };
        var report = PairsStation.Run(new PairInput(new MatchInput(objects, names), meshes, TrayMode.Planned, new PairSettings(), settings.OutwardReachMetres,
            settings.InwardReachMetres)
        { Threads = 2 }).Report;
        Assert.Equal(46, report.Paired.Count());
        Assert.Equal(3, report.TrayCount);
        Assert.All(report.Contacts.Where(c => c.Touches), c => Assert.NotEqual(report.Parts[c.One].Tray, report.Parts[c.Two].Tray));
        // Two trays cannot do: three parts are in contact with each other, each pair nearer than the outward reach by trying all triangles.
        Assert.Equal(3, report.Proof!.Because.Count);
        foreach (int one in report.Proof.Because)
            foreach (int two in report.Proof.Because.Where(t => t > one))
                Assert.True(Gap(meshes[report.Parts[one].Low[0]], meshes[report.Parts[two].High[0]]) < settings.OutwardReachMetres);
        var parts = report.Parts.Select(p => new BakePart(p.Name, [.. p.Low.Select(i => meshes[i])], [.. p.High.Select(i => meshes[i])])).ToArray();
        var trays = report.Parts.Select((p, i) => (p.Tray, i)).GroupBy(p => p.Tray).Select(g => new BakeTray([.. g.Select(p => p.i)])).ToArray();
        var planned = Baker.Bake(new BakeInput("s", parts, trays), settings, 2, null, default);
        var together = Baker.Bake(new BakeInput("s", parts, [new BakeTray([.. Enumerable.Range(0, parts.Length)])]), settings, 2, null, default);
        Assert.DoesNotContain(planned.Faults, f => f.Kind == FaultKind.Neighbour);
        Assert.True(together.Faults.Where(f => f.Kind == FaultKind.Neighbour).Sum(f => f.Texels) > 500);

        static float Gap(Mesh low, Mesh high)
        {
            float least = float.PositiveInfinity;
            for (int i = 0; i < low.Corners.Length; i += 3)
                for (int j = 0; j < high.Corners.Length; j++)
                    least = MathF.Min(least, Vector3.Distance(high.PositionAt(j),
                        SurfaceTree.ClosestOnTriangle(high.PositionAt(j), low.PositionAt(i), low.PositionAt(i + 1), low.PositionAt(i + 2))));
            return least;
        }
    }

    [Fact]
    public void The_high_side_has_normals_of_unit_length_and_stays_near_the_low_side()
    {
        foreach (var (low, high) in Low.Meshes.Zip(High.Meshes))
        {
            Assert.All(high.Normals!, n => Assert.Equal(1, n.Length(), 4));
            Bounds a = low.Bounds(), b = high.Bounds();
            Assert.True(Vector3.Distance(a.Min, b.Min) < 0.006f && Vector3.Distance(a.Max, b.Max) < 0.006f, low.Name);
        }
    }
}
