using System.Numerics;
using System.Text;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Intake;

/// <summary>Each thing that would hurt later is built, found, mended by the mend that is offered, and gone.</summary>
public sealed class FindingTests
{
    private static readonly Mesh Low = Laid("lid_low");
    private static readonly Mesh High = Shapes.Sphere("lid_high", 32, 16) with { UvSets = [] };

    /// <summary>Code, and files that have it.</summary>
    public static TheoryData<string, Kit> Cases => new()
    {
        { "transform-not-applied", new(Low, High with { Placement = Matrix4x4.CreateScale(2) * Matrix4x4.CreateTranslation(1, 0, 0) }) },
        { "scale-uneven", new(Low with { Placement = Matrix4x4.CreateScale(1, 2, 1) }, High) },
        { "scale-negative", new(Low with { Placement = Matrix4x4.CreateScale(-1, 1, 1) }, High) },
        { "unit-suspect", new(Scaled(Low, 100), Scaled(High, 100)) },
        { "unit-suspect", new(Scaled(Low, 1.2247f * 39.3701f), High) },
        { "unit-suspect", new(Scaled(Low, 1.2247f * 0.001f), High) },
        { "z-up", new(Low with { Positions = Array.ConvertAll(Low.Positions, Standing) },
            High with { Positions = Array.ConvertAll(High.Positions, Standing) }) },
        { "origin-far", new(Moved(Low, 40), Moved(High, 40)) },
        { "name-prefix", new(Low with { Name = "shed:lid_low" }, High) },
        { "name-case", new(Low with { Name = "Lid_low" }, High) },
        { "name-twice", new(Low, High) { More = Moved(Laid("lid_low"), 1) } },
        { "side-unknown", new(Low, High) { More = Laid("knob") } },
        { "hidden", new(Low, High with { IsHidden = true }) },
        { "faces-without-area", new(
            Low with { Corners = [.. Low.Corners, 0, 0, 1], Normals = [.. Low.Normals!, .. new Vector3[3]], UvSets = [[.. Low.Uvs!, .. new Vector2[3]]],
            TriangleMaterials = [.. Low.TriangleMaterials, 0] }, High) },
        { "doubled-faces", new(Low,
            High with { Corners = [.. High.Corners, .. High.Corners[..3]], Normals = [.. High.Normals!, .. High.Normals![..3]],
            TriangleMaterials = [.. High.TriangleMaterials, 0] }) },
        { "faces-inside-out", new(Low, High with { Corners = Flipped(High.Corners), Normals = null }) },
        { "faces-against-normals", new(Low with { Normals = Array.ConvertAll(Low.Normals!, n => -n) }, High) },
        { "mixed-winding", new(Low, High with { Corners = [.. Flipped(High.Corners[..30]), .. High.Corners[30..]], Normals = null }) },
        { "no-normals", new(Low, High with { Normals = null }) },
        { "high-facetted", new(Low, Shapes.WithFlatNormals(High)) },
        { "hard-edge-without-seam", new(Fold(), High) },
        { "several-low-materials", new(Low with { TriangleMaterials = [0, 1] }, High) },
        { "faces-without-material", new(Low with { TriangleMaterials = [0, -1] }, High) },
        { "unwelded", new(Low, Torn()) },
    };

    [Theory]
    [MemberData(nameof(Cases))]
    public void What_is_wrong_is_found_and_gone_after_its_mend(string code, Kit kit)
    {
        var finding = Assert.Single(kit.TakeIn().Findings, f => f.Code == code);
        Assert.EndsWith(".", finding.Sentence, StringComparison.Ordinal);
        Assert.True(finding.Count > 0);
        Assert.True(code is "unit-suspect" or "z-up" || finding.Spot is not null);
        var mend = finding.Mends[0].Mend;
        // What is recorded is what is written and read back.
        var stored = BuildJson.ReadMend(BuildJson.OfMend(mend))!;
        Assert.Equal(BuildJson.OfMend(mend), BuildJson.OfMend(stored));
        var mended = kit.TakeIn(stored);
        Assert.DoesNotContain(mended.Findings, f => f.Code == code);
        Assert.DoesNotContain(mended.Findings, f => f.Code == "mend-without-target");
        Assert.True(Assert.Single(mended.Report.Mends).Changed > 0);
        // Switched off, it is as it was.
        Assert.Contains(kit.TakeIn(stored with { IsOn = false }).Findings, f => f.Code == code);
    }

    [Fact]
    public void A_pair_without_flaws_has_nothing_to_say() => Assert.Empty(new Kit(Low, High).TakeIn().Findings);

    [Fact]
    public void A_low_side_that_is_given_normals_breaks_where_its_UVs_are_cut_and_nowhere_else()
    {
        var cube = Shapes.Cube("lid_low") with { Normals = null };
        // Each face of its own place on the sheet, and all on one place where everything runs on.
        foreach (bool isCut in (ReadOnlySpan<bool>)[true, false])
        {
            Vector2[] uvs = [.. cube.Corners.Select((p, c) => isCut ? 0.1f * cube.Uvs![c] + new Vector2(c / 6 / 8f, 0)
                : new Vector2(0.1f * cube.Positions[p].X + 0.5f, 0.1f * cube.Positions[p].Y + 0.01f * cube.Positions[p].Z + 0.5f))];
            var low = cube with { UvSets = [uvs] };
            var found = new Kit(low, High).TakeIn().Findings;
            var mend = Assert.Single(Assert.Single(found, f => f.Code == "no-normals").Mends).Mend;
            var mended = new Kit(low, High).TakeIn(mend);
            Assert.DoesNotContain(mended.Findings, f => f.Code is "hard-edge-without-seam" or "no-normals");
            var normals = mended.Scene.Meshes.Single(m => m.Name == "lid_low").Normals!;
            Assert.Equal(isCut, normals.All(n => MathF.Max(MathF.Abs(n.X), MathF.Max(MathF.Abs(n.Y), MathF.Abs(n.Z))) > 0.999f));
        }
    }

    [Fact]
    public void Faces_and_UVs_that_cannot_be_mended_here_are_said_with_their_numbers()
    {
        var fins = Shapes.Soup("lid_high", new(0, 0, 0), new(1, 0, 0), new(0, 1, 0), new(0, 0, 0), new(1, 0, 0), new(0, -1, 0), new(0, 0, 0), new(1, 0, 0),
            new(0, 0, 1));
        Assert.Contains(new Kit(Low, fins).TakeIn().Findings, f => f is { Code: "non-manifold", Count: 1 });
        Assert.Contains(new Kit(Low, fins).TakeIn().Findings, f => f is { Code: "holes", Count: 6 });
        Assert.Equal(["low-without-uvs"], Codes(Low with { UvSets = [] }));
        Assert.Equal(["uv-outside"], Codes(Low with { UvSets = [Array.ConvertAll(Low.Uvs!, uv => uv + Vector2.One)] }));
        Assert.Equal(["uv-flipped"], Codes(Low with { UvSets = [Array.ConvertAll(Low.Uvs!, uv => new Vector2(1 - uv.X, uv.Y))] }));
        Assert.Equal(["uv-without-area"], Codes(Low with { UvSets = [Array.ConvertAll(Low.Uvs!, uv => new Vector2(0.5f, uv.Y))] }));
        var shifted = Low with { Name = "lid2_low", UvSets = [Array.ConvertAll(Low.Uvs!, uv => uv * 0.9f)] };
        Assert.Contains(new Kit(Low, High) { More = shifted }.TakeIn().Findings, f => f.Code == "uv-overlap");
        // Copies that lie exactly on each other are meant.
        Assert.DoesNotContain(new Kit(Low, High) { More = Low with { Name = "lid2_low" } }.TakeIn().Findings, f => f.Code == "uv-overlap");

        static string[] Codes(Mesh low) => [.. new Kit(low, High).TakeIn().Findings.Select(f => f.Code)];
    }

    [Fact]
    public void Colours_are_missed_where_other_objects_have_them()
    {
        var coloured = High with { Colours = [.. High.Corners.Select(_ => Vector4.UnitX + Vector4.UnitW)] };
        Assert.Contains(new Kit(Low, coloured) { More = High with { Name = "rim_high", Positions = Array.ConvertAll(High.Positions, p => p * 0.5f) } }
            .TakeIn().Findings, f => f.Code == "no-id-colours" && f.Sentence.Contains("GLB", StringComparison.Ordinal));
        Assert.Contains(new Kit(Low, High) { Rules = new IntakeRules { ExpectsIdColours = true } }.TakeIn().Findings, f => f.Code == "no-id-colours");
    }

    [Theory]
    [InlineData(OriginPlace.BaseCentre, 0, 0, 0)]
    [InlineData(OriginPlace.BoundsCentre, 0, -1, 0)]
    [InlineData(OriginPlace.Corner, 1, 0, 1)]
    [InlineData(OriginPlace.Point, -40, -1, -41)]
    public void The_origin_goes_where_it_is_wanted(OriginPlace place, float x, float y, float z)
    {
        var kit = new Kit(Moved(Low, 40), Moved(High, 40));
        var mend = new MoveOrigin(place) { X = 80, Y = 40, Z = 81 };
        var bounds = kit.TakeIn(mend).Scene.Meshes.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()));
        // The ball of radius 1 stands in the middle, or where it was put.
        Assert.True(Vector3.Distance(new Vector3(x, y, z), bounds.Centre with { Y = bounds.Min.Y }) < 1e-4f, $"{bounds}");
    }

    [Fact]
    public void Names_are_changed_by_pattern_many_at_once_and_decisions_survive_a_newer_file()
    {
        var kit = new Kit(Low with { Name = "lid-low" }, High with { Name = "lid-high" });
        Mend[] mends = [new RenameByPattern("{part}-{side}", "{part}_{side}"), new Rename("top_low") { Objects = ["lid-low"] },
            new SmoothByAngle(30) { Objects = ["gone"] }];
        var result = kit.TakeIn(mends);
        Assert.Equal(["top_low", "lid_high"], result.Report.Objects.Select(o => o.Name));
        Assert.Equal([2, 1, 0], result.Report.Mends.Select(m => m.Changed));
        Assert.Contains(result.Findings, f => f.Code == "mend-without-target" && f.Sentence.Contains("gone", StringComparison.Ordinal));
        Assert.Equal(["{a}_{file}_{number}", null], new[] { new RenameByPattern("{a}", "{a}_{file}_{number}"), new RenameByPattern("{a}", "{b}") }
            .Select(m => m.ProblemTogether() is null ? m.To : null));
    }

    private static Vector3 Standing(Vector3 p) => new(p.X, p.Y, p.Z + 1);

    private static Mesh Scaled(Mesh mesh, float by) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => p * by) };

    private static Mesh Moved(Mesh mesh, float by) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => p + new Vector3(by)) };

    private static int[] Flipped(int[] corners) => [.. Enumerable.Range(0, corners.Length).Select(i => corners[i - i % 3 + (i % 3 == 0 ? 0 : 3 - i % 3)])];

    private static Mesh Laid(string name) => Shapes.Plane(name, 2, 0.1f, 0.9f);

    private static Mesh Fold()
    {
        var flat = Low with { Positions = [new(-1, 0, 1), new(1, 0, 1), new(1, 0, -1), new(-1, 1.5f, -1)], TriangleMaterials = [0, 0] };
        return Shapes.WithFlatNormals(flat) with { UvSets = Low.UvSets };
    }

    private static Mesh Torn()
    {
        // One vertex of the ball's equator is pulled apart by a hair.
        int corner = Array.FindIndex(High.Corners, c => MathF.Abs(High.Positions[c].Y) < 0.1f);
        int[] corners = [.. High.Corners];
        corners[corner] = High.Positions.Length;
        return High with { Positions = [.. High.Positions, High.PositionAt(corner) + new Vector3(1e-5f, 0, 0)], Corners = corners };
    }

    /// <summary>A low and a high object as files of their own, without going through a file format.</summary>
    public sealed class Kit(Mesh low, Mesh high)
    {
        /// <summary>A third object beside the side it is named for.</summary>
        public Mesh? More { get; init; }

        /// <summary>Rules of the kit.</summary>
        public IntakeRules Rules { get; init; } = new() { ExpectedSizeMetres = 2 };

        /// <summary>Takes the files in.</summary>
        public IntakeResult TakeIn(params Mend[] mends)
        {
            Material[] materials = [Material.Plain, Material.Plain with { Name = "paint" }];
            bool moreIsHigh = More?.Name.EndsWith("high", StringComparison.Ordinal) == true;
            var files = new Dictionary<string, Scene>
            {
                ["b_mesh.glb"] = new("b_mesh.glb", More is null || !moreIsHigh ? [high] : [high, More], materials, []),
                ["a_mesh.glb"] = new("a_mesh.glb", More is null || moreIsHigh ? [low] : [low, More], materials, []),
            };
            var sources = files.Keys.Order(StringComparer.Ordinal).Select(f => new SourceFile(f, f, 1)).ToArray();
            return IntakeStation.Run(new IntakeInput(sources, _ => Stream.Null,
                Sides.DefaultPattern)
            { Mends = mends, Rules = Rules, Scenes = file => files[file.Name] });
        }
    }
}
