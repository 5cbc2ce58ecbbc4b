using System.IO.Compression;
using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>
/// An asset nobody prepared for Crumpet: fifteen scanned and machined parts in seven files, in centimetres, lows of few triangles, names
/// that end in LP and HP, two materials of which one is described twice, five parts without UVs, neighbours that nearly touch.
/// </summary>
public sealed class StrangersTests
{
    private const int Rocks = 5, Machined = 7;

    [Fact]
    public void It_goes_from_drop_to_package_with_its_safe_mends_alone_and_nothing_is_told_that_is_not_so()
    {
        var store = new MemoryResultStore();
        var sources = Files().Select(f => new SourceFile(f.Name, store.Put(f.Bytes), f.Bytes.Length)).ToArray();
        Assert.Equal(7, sources.Length);
        var plan = new AssetPlan
        {
            Bake = new BakeSettings { Size = 64, Samples = 1, OcclusionRays = 4, Maps = [BakeMap.Normal, BakeMap.Height] },
            Layout = new LayoutSettings { Uvs = UvSource.Unwrap, Pack = true, Rotation = PackRotation.Quarter, PaddingPixels = 1 },
            Trays = TrayMode.Planned,
        };
        var rules = new IntakeRules { ExpectedSizeMetres = 2 };
        AssetBuild Build() => new("px_dock", plan, sources, store, rules);
        Build().Run(Station.Intake, throughStops: true, 2, null, default);
        // One press: mend all that is safe.
        var safe = Build().ResultOf(Station.Intake)!.Findings.SelectMany(f => f.Mends.Where(m => m.IsSafe).Take(1)).Select(m => m.Mend).Distinct().ToArray();
        plan = safe.Aggregate(plan, (p, m) => p.With(m));
        var (station, result) = Build().Run(Station.Deliver, throughStops: false, 2, null, default);
        Assert.Equal(Station.Deliver, station);
        var intake = Build().ResultOf(Station.Intake)!;
        Assert.DoesNotContain(intake.Findings, f => f.Severity == Severity.Stop);
        Assert.Contains(intake.Findings, f => f.Code == "material-differs" && f.Place == "steel");
        Assert.Equal(2f, intake.As<IntakeReport>().Objects.Max(o => o.MaxMetres[0]) - intake.As<IntakeReport>().Objects.Min(o => o.MinMetres[0]), 0.5f);
        var pairs = Build().ResultOf(Station.Pairs)!.As<PairReport>();
        Assert.Equal(15, pairs.Paired.Count());
        Assert.DoesNotContain(pairs.Parts, r => !r.IsPaired);
        Assert.Equal(["steel", "stone"], Build().ResultOf(Station.Bake)!.As<BakeReport>().Sheets.Select(s => s.Sheet).Order(StringComparer.Ordinal));
        using var zip = new ZipArchive(new MemoryStream(store.Load(result.Files[0].Sha256)));
        Assert.Equal(2 * 3, zip.Entries.Count(e => e.FullName.EndsWith(".dds", StringComparison.Ordinal)));
        JudgeCages(Build(), pairs, intake.As<IntakeReport>());
    }

    /// <summary>What is told of cages, by trying every triangle.</summary>
    private static void JudgeCages(AssetBuild build, PairReport pairs, IntakeReport intake)
    {
        var made = Scene();
        foreach (var row in pairs.Paired)
        {
            Mesh[] low = Meshes(row.Low), high = Meshes(row.High);
            double farthest = high.SelectMany(m => m.Positions).Max(p => low.Min(m => Enumerable.Range(0, m.TriangleCount)
                .Min(t => Vector3.Distance(p, SurfaceTree.ClosestOnTriangle(p, m.PositionAt(3 * t), m.PositionAt(3 * t + 1), m.PositionAt(3 * t + 2))))));
            Assert.InRange(row.Cage!.OutsideMetres, 0, farthest + 1e-5);
            if (farthest < row.OutwardReachMetres / 2)
                Assert.Equal(0, row.Cage.Outside);
        }
        Assert.All(build.ResultOf(Station.Bake)!.Findings.Where(f => f.Code == "miss").SelectMany(f => f.Mends).Select(m => m.Mend).OfType<WidenReach>(), m =>
            Assert.InRange(Math.Max(m.OutwardMetres ?? 0, m.InwardMetres ?? 0), 0, 0.1));

        Mesh[] Meshes(IReadOnlyList<int> numbers) => [.. numbers.Select(i => made.GetValueOrDefault(intake.Objects[i].Name) ?? made["mesh"])];
    }

    /// <summary>The objects as they are, in metres.</summary>
    private static Dictionary<string, Mesh> Scene() => Parts().SelectMany(p => new[] { p.Low, p.High }).ToDictionary(m => m.Name);

    private static IEnumerable<(string Name, byte[] Bytes)> Files()
    {
        Material stone = new("stone", new Vector4(0.4f, 0.38f, 0.35f, 1), 0.9f, 0), steel = new("steel", new Vector4(0.5f, 0.5f, 0.52f, 1), 0.35f, 1);
        var parts = Parts().Select(p => (Low: Centimetres(p.Low), High: Centimetres(p.High))).ToArray();
        yield return ("PX_Rocks_LP.glb", Glb(parts[..Rocks].Select(p => p.Low), stone));
        yield return ("PX_Rocks_HP.glb", Glb(parts[..Rocks].Select(p => p.High), stone));
        yield return ("PX_Metal_LP.glb", Glb(parts[Rocks..(Rocks + Machined)].Select(p => p.Low), steel));
        yield return ("PX_Metal_HP.glb", Glb(parts[Rocks..(Rocks + Machined)].Select(p => p.High), steel));
        // A mesh alone in its file goes by the file's name.
        var buoy = parts[Rocks + Machined];
        using (var stream = new MemoryStream())
        {
            PlyWriter.Write(new Scene("", [buoy.High with { Name = "mesh" }], [], []), stream);
            yield return ("PX_Buoy_HP.ply", stream.ToArray());
        }
        yield return ("PX_Buoy_LP.glb", Glb([buoy.Low with { Name = "Object001" }], steel with { Roughness = 0.4f }));
        yield return ("PX_Ropes.glb", Glb(parts[(Rocks + Machined + 1)..].SelectMany(p => new[] { p.Low, p.High }), steel));
    }

    private static byte[] Glb(IEnumerable<Mesh> meshes, Material material)
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([.. meshes.Select(m => new SceneObject(m))], [new SceneMaterial(material)], []), stream);
        return stream.ToArray();
    }

    private static Mesh Centimetres(Mesh mesh) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => 100 * p) };

    private static IEnumerable<(Mesh Low, Mesh High)> Parts()
    {
        for (int i = 0; i < 15; i++)
        {
            string name = i < Rocks ? $"PX_Rock{i}" : i < Rocks + Machined ? $"PX_Bollard-{i}" : i == Rocks + Machined ? "PX_Buoy" : $"PX_Rope.{i}";
            // Neighbours are a few millimetres apart.
            Vector3 centre = new(0.133f * i, 0.1f, 0);
            int number = i;
            Mesh low = Made($"{name}_LP", 8, 4, 0), high = Made($"{name}_HP", 32, 20, 0.0008f);
            bool hasUvs = i % 3 != 1;
            yield return (hasUvs ? low : low with { UvSets = [] }, high with { UvSets = [] });

            Mesh Made(string wanted, int around, int down, float rough)
            {
                var ball = Shapes.Sphere(wanted, around, down);
                return ball with
                {
                    Name = i == Rocks + Machined ? wanted.EndsWith("LP", StringComparison.Ordinal) ? "Object001" : "mesh" : wanted,
                    Positions = Array.ConvertAll(ball.Positions, p => centre + Form(number, Vector3.Normalize(p), rough)),
                    Normals = null,
                };
            }
        }
    }

    /// <summary>Rocks with hollows; machined parts between a ball and a thin disc.</summary>
    private static Vector3 Form(int number, Vector3 d, float rough) => number < Rocks
        ? d * (0.055f * (1 + 0.12f * MathF.Sin(3 * d.X + number) * MathF.Cos(2 * d.Y)) + rough * MathF.Sin(40 * d.X + 30 * d.Z))
        : d * new Vector3(0.06f, number % 2 == 0 ? 0.06f : 0.012f, 0.06f) * (1 + 10 * rough * MathF.Sin(25 * d.Y));
}
