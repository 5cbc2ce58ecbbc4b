using System.Numerics;
using Crumpet.Core.Geometry;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>Closed forms; the browser tests compare with the reference implementation.</summary>
public sealed class TangentSpaceTests
{
    [Fact]
    public void On_a_plane_the_tangent_follows_u()
    {
        Assert.All(TangentSpace.PerCorner(Shapes.Plane("p")), t => Assert.Equal(new Vector4(1, 0, 0, 1), t));
    }

    [Fact]
    public void Mirrored_uvs_turn_the_bitangents_sign()
    {
        var plane = Shapes.Plane("p");
        var mirrored = plane.Uvs!.Select(uv => new Vector2(1 - uv.X, uv.Y)).ToArray();
        var positions = plane.Corners.Select(c => plane.Positions[c]).ToArray();
        Assert.All(TangentSpace.PerCorner(positions, plane.Normals, mirrored), t => Assert.Equal(new Vector4(-1, 0, 0, -1), t));
    }

    [Fact]
    public void On_a_sphere_tangents_run_along_the_parallels()
    {
        var sphere = Shapes.Sphere("s", 64, 32);
        var tangents = TangentSpace.PerCorner(sphere);
        for (int c = 0; c < tangents.Length; c++)
        {
            var n = sphere.Normals![c];
            // Around the poles the triangles of a strip see u run at very different angles.
            if (MathF.Abs(n.Y) > 0.9f)
                continue;
            var east = Vector3.Normalize(Vector3.Cross(Vector3.UnitY, n));
            Assert.True(Vector3.Dot(east, new Vector3(tangents[c].X, tangents[c].Y, tangents[c].Z)) > 0.998f);
            Assert.Equal(1, tangents[c].W);
        }
    }

    [Fact]
    public void A_triangle_of_no_area_borrows_from_its_neighbour()
    {
        Vector3[] p = [Vector3.Zero, Vector3.UnitX, Vector3.UnitZ, Vector3.Zero, Vector3.UnitX, Vector3.UnitX];
        Vector2[] uv = [new(0, 0), new(1, 0), new(0, -1), new(0, 0), new(1, 0), new(1, 0)];
        var tangents = TangentSpace.PerCorner(p, [.. Enumerable.Repeat(-Vector3.UnitY, 6)], uv);
        Assert.Equal(tangents[0], tangents[3]);
        Assert.Equal(tangents[1], tangents[5]);
    }
}
