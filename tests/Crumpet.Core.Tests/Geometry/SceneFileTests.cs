using System.Numerics;
using Crumpet.Core.Geometry;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

public sealed class SceneFileTests
{
    [Fact]
    public void Every_field_comes_back_to_the_bit()
    {
        var sphere = Shapes.Sphere("ball ü", 12, 6);
        var coloured = new Mesh
        {
            Name = "bare",
            Positions = sphere.Positions,
            Corners = sphere.Corners,
            Colours = [.. sphere.Corners.Select(c => new Vector4(c, 1, 0, 0.5f))],
            UvSets = [sphere.Uvs!, sphere.Uvs!.Select(u => u * 2).ToArray()],
            TriangleMaterials = [.. Enumerable.Range(0, sphere.TriangleCount).Select(t => t % 3 - 1)],
            PolygonCount = 7,
        };
        var scene = new Scene("", [sphere, coloured], [Material.Plain, new Material("m", new Vector4(1, 2, 3, 4), 0.25f, 1)], []);
        var back = SceneFile.Read(SceneFile.Write(scene));
        Assert.Equal(scene.Materials, back.Materials);
        foreach (var (a, b) in scene.Meshes.Zip(back.Meshes))
        {
            Assert.Equal((a.Name, a.PolygonCount), (b.Name, b.PolygonCount));
            Assert.Equal(a.Positions, b.Positions);
            Assert.Equal(a.Corners, b.Corners);
            Assert.Equal(a.Normals, b.Normals);
            Assert.Equal(a.Colours, b.Colours);
            Assert.Equal(a.UvSets, b.UvSets);
            Assert.Equal(a.TriangleMaterials, b.TriangleMaterials);
        }
    }

    [Fact]
    public void Other_bytes_are_refused() => Assert.Throws<InvalidDataException>(() => SceneFile.Read(new byte[64]));

    [Fact]
    public void Smooth_normals_of_a_cube_point_along_its_diagonals_however_its_vertices_are_split()
    {
        var faces = new List<Vector3>();
        foreach (var n in (Vector3[])[Vector3.UnitX, Vector3.UnitY, Vector3.UnitZ, -Vector3.UnitX, -Vector3.UnitY, -Vector3.UnitZ])
        {
            var u = new Vector3(n.Y, n.Z, n.X);
            var v = Vector3.Cross(n, u);
            Vector3[] q = [n - u - v, n + u - v, n + u + v, n - u + v];
            faces.AddRange([q[0], q[1], q[2], q[0], q[2], q[3]]);
        }
        var cube = Shapes.Soup("cube", [.. faces]);
        var normals = SmoothNormals.PerCorner(cube);
        for (int c = 0; c < normals.Length; c++)
            Assert.True(Vector3.Distance(normals[c], Vector3.Normalize(faces[c])) < 1e-5f);
    }
}
