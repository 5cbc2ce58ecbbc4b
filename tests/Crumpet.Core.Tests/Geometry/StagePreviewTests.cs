using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Geometry;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>What the browser's stage is sent, read back byte by byte.</summary>
public sealed class StagePreviewTests
{
    [Fact]
    public void Positions_are_held_to_a_sixty_five_thousandth_of_the_object()
    {
        var sphere = Shapes.Sphere("ball", 24, 12);
        var preview = new Read([new PreviewObject(sphere, "ball", Vector3.Zero)], isBakedOnto: true);
        var known = sphere.Positions.ToArray();
        Assert.All(preview.Positions(0, 0), p => Assert.True(known.Min(k => (k - p).Length()) < 2 * 3f / 65535));
    }

    [Fact]
    public void Normals_come_back_within_a_hundredth_of_a_degree()
    {
        var sphere = Shapes.Sphere("ball", 32, 16);
        var preview = new Read([new PreviewObject(sphere, "ball", Vector3.Zero)], isBakedOnto: true);
        // On a unit sphere around the origin the normal is the position.
        foreach (var (p, n) in preview.Positions(0, 0).Zip(preview.Normals(0, 0)))
            Assert.True(Vector3.Dot(Vector3.Normalize(p), n) > MathF.Cos(0.02f * MathF.PI / 180) - 1e-7f);
    }

    [Property]
    public bool Any_direction_survives_the_octahedron(int x, int y, int z)
    {
        var v = new Vector3(x, y, z);
        if (v == Vector3.Zero)
            return true;
        v = Vector3.Normalize(v);
        var (a, b) = OctahedralNormal.Encode(v);
        return Vector3.Cross(OctahedralNormal.Decode(a, b), v).Length() < 0.004f * MathF.PI / 180 + 1e-6f && Vector3.Dot(OctahedralNormal.Decode(a, b), v) > 0;
    }

    [Fact]
    public void Every_triangle_of_the_source_is_in_the_finest_level()
    {
        var sphere = Shapes.Sphere("ball", 300, 150);
        var preview = new Read([new PreviewObject(sphere, "ball", Vector3.Zero)], isBakedOnto: false);
        Assert.Equal(sphere.TriangleCount, preview.Indices(0, 2).Length / 3);
        var positions = preview.Positions(0, 2);
        var area = Area(positions, preview.Indices(0, 2));
        Assert.InRange(area, 0.999 * Area(sphere.Positions, sphere.Corners), 1.001 * Area(sphere.Positions, sphere.Corners));
    }

    [Fact]
    public void Coarser_levels_are_smaller_stay_on_the_surface_and_come_first()
    {
        var sphere = Shapes.Sphere("ball", 900, 450);
        var preview = new Read([new PreviewObject(sphere, "ball", Vector3.Zero)], isBakedOnto: false);
        int coarse = preview.Indices(0, 0).Length, middle = preview.Indices(0, 1).Length, full = preview.Indices(0, 2).Length;
        Assert.True(coarse < middle / 2 && middle < 0.6 * full, $"{coarse} {middle} {full}");
        // The sphere's box has a diagonal of 3.46; a coarse cell is a 110th of it.
        Assert.All(preview.Positions(0, 0), p => Assert.InRange(p.Length(), 1 - 0.001f, 1 + 0.016f));
        Assert.True(preview.Ends[0] < preview.Ends[1] && preview.Ends[1] < preview.Ends[2]);
        Assert.InRange(Area(preview.Positions(0, 0), preview.Indices(0, 0)), 0.97 * 4 * Math.PI, 1.03 * 4 * Math.PI);
    }

    [Fact]
    public void A_flat_sheet_stays_flat_whole_and_lit_alike_when_it_is_coarse()
    {
        var preview = new Read([new PreviewObject(Shapes.Grid("sheet", 300), "sheet", Vector3.Zero)], isBakedOnto: false);
        Assert.True(preview.Indices(0, 0).Length < preview.Indices(0, 2).Length / 4);
        Assert.All(preview.Normals(0, 0), n => Assert.True(n.Y > 0.9999f));
        Assert.All(preview.Positions(0, 0), p => Assert.True(MathF.Abs(p.Y) < 1e-4f));
        Assert.InRange(Area(preview.Positions(0, 0), preview.Indices(0, 0)), 0.97, 1.0001);
    }

    [Fact]
    public void A_closed_mesh_stays_closed_when_it_is_coarse()
    {
        var preview = new Read([new PreviewObject(Shapes.Sphere("ball", 900, 450), "ball", Vector3.Zero)], isBakedOnto: false);
        var positions = preview.Positions(0, 0);
        var indices = preview.Indices(0, 0);
        var open = new HashSet<(Vector3, Vector3)>();
        for (int i = 0; i < indices.Length; i++)
        {
            var (a, b) = (positions[indices[i]], positions[indices[i % 3 == 2 ? i - 2 : i + 1]]);
            if (!open.Remove((b, a)))
                open.Add((a, b));
        }
        Assert.Empty(open);
    }

    [Fact]
    public void Densities_are_those_of_the_uvs()
    {
        var plane = Shapes.Plane("floor", side: 2, uvFrom: 0.25f, uvTo: 0.75f);
        var preview = new Read([new PreviewObject(plane, "floor", Vector3.Zero)], isBakedOnto: true);
        // Half a tile over two metres: a quarter of the sheet's pixels a metre.
        Assert.All(preview.Floats(0, 0, "density", 1), d => Assert.Equal(0.25f, d, 1e-5f));
    }

    [Fact]
    public void Cubes_have_twelve_hard_edges_and_open_borders_count_as_seams()
    {
        var cube = new Read([new PreviewObject(Shapes.Cube("box"), "box", Vector3.Zero)], isBakedOnto: true);
        var positions = cube.Positions(0, 0);
        var hard = cube.Edges(0, "hard").Select(e => (positions[e.A], positions[e.B])).ToArray();
        Assert.Equal(12, hard.Length);
        Assert.All(hard, e => Assert.Equal(1, (e.Item1 - e.Item2).Length(), 1e-4f));
        var plane = new Read([new PreviewObject(Shapes.Plane("floor"), "floor", Vector3.Zero)], isBakedOnto: true);
        Assert.Empty(plane.Edges(0, "hard"));
        Assert.Equal(4, plane.Edges(0, "seam").Length);
    }

    [Fact]
    public void Triangles_know_their_materials_and_the_header_describes_them()
    {
        var cube = Shapes.Cube("box") with { TriangleMaterials = [.. Enumerable.Range(0, 12).Select(t => t < 6 ? 0 : -1)] };
        var preview = new Read([new PreviewObject(cube, "box", Vector3.Zero)], isBakedOnto: true);
        var indices = preview.Indices(0, 0);
        for (int t = 0; t < 12; t++)
            for (int c = 0; c < 3; c++)
                Assert.Equal(t < 6 ? 1 : 0, preview.MaterialOf(0, 0, indices[3 * t + c]));
        Assert.Equal(Material.Plain.Name, preview.Header.GetProperty("materials")[0].GetProperty("name").GetString());
        Assert.Equal(0.6f, preview.Header.GetProperty("materials")[0].GetProperty("roughness").GetSingle());
    }

    [Fact]
    public void Tangents_and_uvs_are_those_of_the_mesh_and_only_what_is_baked_onto_carries_them()
    {
        var sphere = Shapes.Sphere("ball", 16, 8);
        var low = new Read([new PreviewObject(sphere, "ball", Vector3.Zero)], isBakedOnto: true);
        var indices = low.Indices(0, 0);
        float[] tangents = low.Floats(0, 0, "tangent", 4), uvs = low.Floats(0, 0, "uv", 2);
        var reference = TangentSpace.PerCorner(sphere);
        for (int corner = 0; corner < indices.Length; corner++)
        {
            Assert.Equal(reference[corner], new Vector4(tangents.AsSpan(4 * indices[corner], 4)));
            Assert.Equal(sphere.Uvs![corner], new Vector2(uvs.AsSpan(2 * indices[corner], 2)));
        }
        var high = new Read([new PreviewObject(sphere, "ball", Vector3.Zero)], isBakedOnto: false);
        Assert.All((string[])["tangent", "uv", "density", "hard", "seam"],
            name => Assert.Equal(-1, high.Header.GetProperty("objects")[0].GetProperty("levels")[0].GetProperty(name).GetInt32()));
    }

    [Fact]
    public void Colours_are_carried_in_eight_bits_and_parts_know_their_middle()
    {
        var plane = Shapes.Plane("floor");
        var painted = new Mesh
        {
            Name = "floor",
            Positions = plane.Positions,
            Corners = plane.Corners,
            Normals = plane.Normals,
            Colours = [.. Enumerable.Repeat(new Vector4(1, 0.5f, 0, 1), 6)],
            TriangleMaterials = [0, 0]
        };
        var preview = new Read([new PreviewObject(painted, "floor", new Vector3(1, 2, 3))], isBakedOnto: false);
        var o = preview.Header.GetProperty("objects")[0];
        Assert.True(o.GetProperty("colours").GetBoolean());
        Assert.Equal([1, 2, 3], o.GetProperty("partCentre").EnumerateArray().Select(v => v.GetInt32()));
        Assert.Equal([255, 128, 0, 255], preview.Bytes(0, 0, "colour", 4));
    }

    [Fact]
    public void Objects_without_area_and_without_size_make_whole_previews()
    {
        var point = Shapes.Soup("point", Vector3.One, Vector3.One, Vector3.One);
        var preview = new Read([new PreviewObject(point, "point", Vector3.One)], isBakedOnto: true);
        Assert.All(preview.Positions(0, 0), p => Assert.Equal(Vector3.One, p));
        Assert.All(preview.Normals(0, 0), n => Assert.Equal(1, n.Length(), 1e-5f));
    }

    [Fact]
    public void Threads_change_no_byte()
    {
        PreviewObject[] objects = [.. Enumerable.Range(0, 5).Select(i => new PreviewObject(Shapes.Sphere($"ball_{i}", 60 + i, 30), $"ball_{i}", Vector3.Zero))];
        Assert.Equal(StagePreview.Write(objects, [], objects[0].Mesh.Bounds(), false),
            StagePreview.Write(objects, [], objects[0].Mesh.Bounds(), false, threads: 4));
    }

    private static double Area(Vector3[] positions, int[] corners)
    {
        double sum = 0;
        for (int i = 0; i < corners.Length; i += 3)
            sum += Vector3.Cross(positions[corners[i + 1]] - positions[corners[i]], positions[corners[i + 2]] - positions[corners[i]]).Length() / 2;
        return sum;
    }

    /// <summary>Reads a preview as the browser does.</summary>
    private sealed class Read
    {
        private readonly byte[] bytes;
        private readonly int data;
        private readonly JsonElement header;

        public Read(IReadOnlyList<PreviewObject> objects, bool isBakedOnto)
        {
            bytes = StagePreview.Write(objects, [Material.Plain], objects[0].Mesh.Bounds(), isBakedOnto);
            Assert.Equal("CPV2"u8.ToArray(), bytes[..4]);
            int length = BitConverter.ToInt32(bytes, 4);
            data = 8 + length;
            header = JsonDocument.Parse(bytes.AsMemory(8, length)).RootElement;
        }

        public JsonElement Header => header;

        public int MaterialOf(int item, int level, int vertex) => Word(At(item, level, "position") + 8 * vertex + 6);

        public int[] Bytes(int item, int level, string name, int count) => [.. bytes.AsSpan(At(item, level, name), count).ToArray().Select(b => (int)b)];

        public long[] Ends => [.. header.GetProperty("levelEnds").EnumerateArray().Select(e => e.GetInt64())];

        public Vector3[] Positions(int item, int level)
        {
            var o = header.GetProperty("objects")[item];
            float size = o.GetProperty("size").GetSingle();
            var min = new Vector3(o.GetProperty("min")[0].GetSingle(), o.GetProperty("min")[1].GetSingle(), o.GetProperty("min")[2].GetSingle());
            int at = At(item, level, "position");
            return [.. Enumerable.Range(0, Count(item, level))
                .Select(i => min + size / 65535 * new Vector3(Word(at + 8 * i), Word(at + 8 * i + 2), Word(at + 8 * i + 4)))];
        }

        public Vector3[] Normals(int item, int level) => Unfolded(item, level, "normal");

        private Vector3[] Unfolded(int item, int level, string name)
        {
            int at = At(item, level, name);
            return [.. Enumerable.Range(0, Count(item, level)).Select(i => OctahedralNormal.Decode((short)Word(at + 4 * i), (short)Word(at + 4 * i + 2)))];
        }

        public float[] Floats(int item, int level, string name, int width) =>
            [.. Enumerable.Range(0, Count(item, level) * width).Select(i => BitConverter.ToSingle(bytes, At(item, level, name) + 4 * i))];

        public int[] Indices(int item, int level)
        {
            bool wide = Level(item, level).GetProperty("wide").GetBoolean();
            int at = At(item, level, "index");
            return [.. Enumerable.Range(0, Level(item, level).GetProperty("indices").GetInt32())
                .Select(i => wide ? BitConverter.ToInt32(bytes, at + 4 * i) : Word(at + 2 * i))];
        }

        public (int A, int B)[] Edges(int item, string kind)
        {
            int at = At(item, 0, kind);
            return [.. Enumerable.Range(0, Level(item, 0).GetProperty($"{kind}Count").GetInt32() / 2)
                .Select(i => (BitConverter.ToInt32(bytes, at + 8 * i), BitConverter.ToInt32(bytes, at + 8 * i + 4)))];
        }

        private int Count(int item, int level) => Level(item, level).GetProperty("vertices").GetInt32();

        // An object that has nothing new at a level looks as in the level before.
        private JsonElement Level(int item, int level)
        {
            var levels = header.GetProperty("objects")[item].GetProperty("levels");
            while (levels[level].ValueKind == JsonValueKind.Null)
                level--;
            return levels[level];
        }

        private int At(int item, int level, string name) => data + Level(item, level).GetProperty(name).GetInt32();

        private ushort Word(int at) => BitConverter.ToUInt16(bytes, at);
    }
}
