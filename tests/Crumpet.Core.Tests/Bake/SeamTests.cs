using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

/// <summary>What a shader makes of normal maps on both sides of seams.</summary>
public sealed class SeamTests
{
    private const int Size = 1024;
    private static readonly BakeSettings Settings = new()
    {
        Size = Size,
        Samples = 2,
        Maps = [BakeMap.Normal],
        OutwardReachMetres = 0.1f,
        InwardReachMetres = 0.1f
    };

    [Fact]
    public void Normals_meet_across_the_hard_edges_of_a_box()
    {
        const float Rounding = 0.08f;
        var low = Bakes.Box("low", 1, 0);
        var shaded = new Shader(low, Bakes.Of(Settings, low, Bakes.Box("high", 240, Rounding)).Maps[BakeMap.Normal]);
        int compared = 0;
        for (int c = 0; c < low.Corners.Length; c++)
        {
            for (int other = 0; other < low.Corners.Length; other++)
            {
                // The same edge of space on another face.
                Vector3 a = low.PositionAt(c), b = low.PositionAt(Topology.Next(c));
                if (c / 3 == other / 3 || low.PositionAt(other) != b || low.PositionAt(Topology.Next(other)) != a || low.Normals![c] == low.Normals[other])
                    continue;
                // Along the rounding a texel is 2.3° wide: the two sides end within about one of each other, and 8 bits add their part.
                for (float t = 0.15f; t < 0.9f; t += 0.1f)
                {
                    Vector3 one = shaded.Along(c, t), two = shaded.Along(other, 1 - t);
                    Assert.InRange(Bakes.Degrees(one, two), 0, 3);
                    Assert.InRange(Bakes.Degrees(one, Vector3.Normalize(low.Normals[c] + low.Normals[other])), 0, 3);
                    compared++;
                }
            }
        }
        Assert.Equal(24 * 8, compared);
    }

    [Fact]
    public void Normals_meet_where_an_island_is_mirrored_onto_itself()
    {
        // A dome from two halves on the same texels, the second mirrored.
        static Vector3 Dome(float u, float v) => new(u - 0.5f, 0.15f * MathF.Cos(MathF.PI * (u - 0.5f)) * MathF.Cos(MathF.PI * (v - 0.5f)), 0.5f - v);
        var right = Bakes.Bent("low", 4, 8, (u, v) => Dome(0.5f + u / 2, v));
        int[] turned = [.. Enumerable.Range(0, right.Corners.Length).Select(c => c - c % 3 + 2 - c % 3)];
        var left = right with
        {
            Positions = Array.ConvertAll(right.Positions, p => p * new Vector3(-1, 1, 1)),
            Corners = Array.ConvertAll(turned, c => right.Corners[c])
        };
        var (positions, corners) = Mesh.Join([right, left]);
        Vector2[] uvs = [.. right.Uvs!, .. turned.Select(c => right.Uvs![c])];
        var low = new Mesh { Name = "low", Positions = positions, Corners = corners, UvSets = [uvs], TriangleMaterials = new int[corners.Length / 3] };
        low = low with { Normals = SmoothNormals.PerCorner(low) };
        var high = Bakes.Bent("high", 300, 300, (u, v) => Dome(u, v) + new Vector3(0, 0.01f * MathF.Cos(12 * MathF.PI * (u - 0.5f)) * MathF.Cos(9 * v), 0));
        var result = Bakes.Of(Settings, low, high);
        Assert.DoesNotContain(result.Faults, f => f.Kind == FaultKind.Overlap);
        var shaded = new Shader(low, result.Maps[BakeMap.Normal]);
        int compared = 0;
        for (int c = 0; c < right.Corners.Length; c++)
        {
            Vector3 a = low.PositionAt(c), b = low.PositionAt(Topology.Next(c));
            if (a.X != 0 || b.X != 0)
                continue;
            int other = Enumerable.Range(right.Corners.Length, left.Corners.Length).First(o => low.PositionAt(o) == b && low.PositionAt(Topology.Next(o)) == a);
            for (float t = 0.1f; t < 1; t += 0.2f)
            {
                Assert.InRange(Bakes.Degrees(shaded.Along(c, t), shaded.Along(other, 1 - t)), 0, 1.5);
                compared++;
            }
        }
        Assert.Equal(8 * 5, compared);
    }

    /// <summary>Reads a normal map as a graphics card does: between texels, and through the interpolated frame.</summary>
    private sealed class Shader(Mesh mesh, Bitmap map)
    {
        private readonly Vector4[] tangents = TangentSpace.PerCorner(mesh);

        /// <summary>The lit normal on an edge of a triangle.</summary>
        public Vector3 Along(int corner, float t)
        {
            int next = Topology.Next(corner);
            var uv = Vector2.Lerp(mesh.Uvs![corner], mesh.Uvs[next], t);
            var n = Vector3.Lerp(mesh.Normals![corner], mesh.Normals[next], t);
            var t4 = Vector4.Lerp(tangents[corner], tangents[next], t);
            var tangent = new Vector3(t4.X, t4.Y, t4.Z);
            var m = Read(uv.X * Size - 0.5f, (1 - uv.Y) * Size - 0.5f);
            return Vector3.Normalize(m.X * tangent + m.Y * MathF.Sign(t4.W) * Vector3.Cross(n, tangent) + m.Z * n);
        }

        private Vector3 Read(float x, float y)
        {
            int x0 = (int)MathF.Floor(x), y0 = (int)MathF.Floor(y);
            return Vector3.Lerp(Vector3.Lerp(Texel(x0, y0), Texel(x0 + 1, y0), x - x0), Vector3.Lerp(Texel(x0, y0 + 1), Texel(x0 + 1, y0 + 1), x - x0), y - y0);
        }

        private Vector3 Texel(int x, int y)
        {
            (x, y) = (Math.Clamp(x, 0, Size - 1), Math.Clamp(y, 0, Size - 1));
            return NormalEncoding.Decode(map.Unit(x, y, 0), map.Unit(x, y, 1), map.Unit(x, y, 2));
        }
    }
}
