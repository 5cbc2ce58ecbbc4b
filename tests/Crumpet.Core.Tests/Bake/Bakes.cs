using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Tests.Bake;

/// <summary>Bakes of small scenes, and surfaces that are known in closed form.</summary>
internal static class Bakes
{
    /// <summary>One part of one low and some high objects on one sheet.</summary>
    public static BakeResult Of(BakeSettings settings, Mesh low, params Mesh[] high) => Baker.Bake(Input(low, high), settings, 2, null, default);

    public static BakeInput Input(Mesh low, params Mesh[] high) => new("sheet", [new BakePart("part", [low], high)], [new BakeTray([0])]);

    /// <summary>Settings for one map in floating point, one sample a texel.</summary>
    public static BakeSettings Exact(int size, params BakeMap[] maps) => new()
    {
        Size = size,
        Samples = 1,
        Maps = maps,
        Files = maps.ToDictionary(m => m, _ => MapFile.Exr),
        PaddingPixels = 0,
        OutwardReachMetres = 0.2f,
        InwardReachMetres = 0.2f,
        OcclusionRangeMetres = 0,
    };

    public static Vector3 At(Bitmap map, int x, int y) => new(map.Unit(x, y, 0), map.Unit(x, y, 1), map.Unit(x, y, 2));

    public static double Degrees(Vector3 a, Vector3 b) => Math.Atan2(Vector3.Cross(a, b).Length(), Vector3.Dot(a, b)) * 180 / Math.PI;

    /// <summary>Texels that some low triangle covers, read off the fault map.</summary>
    public static IEnumerable<(int X, int Y)> Covered(BakeResult result)
    {
        for (int at = 0; at < result.Faulty.Width * result.Faulty.Height; at++)
        {
            if ((result.Faulty.Pixels[3 * at], result.Faulty.Pixels[3 * at + 1], result.Faulty.Pixels[3 * at + 2]) != FaultPicture.Empty)
                yield return (at % result.Faulty.Width, at / result.Faulty.Width);
        }
    }

    /// <summary>A grid over the tile bent into any surface that looks to where u crosses v.</summary>
    public static Mesh Bent(string name, int across, int up, Func<float, float, Vector3> place, float uvFrom = 0, float uvTo = 1)
    {
        var positions = new Vector3[(across + 1) * (up + 1)];
        for (int i = 0; i < positions.Length; i++)
            positions[i] = place(i % (across + 1) / (float)across, i / (across + 1) / (float)up);
        int[] corners = [.. Enumerable.Range(0, across * up).SelectMany(i =>
        {
            int a = i / across * (across + 1) + i % across, b = a + 1, c = b + across + 1, d = a + across + 1;
            return new[] { a, b, c, a, c, d };
        })];
        return new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = corners,
            UvSets = [Array.ConvertAll(corners, c => new Vector2(float.Lerp(uvFrom, uvTo, c % (across + 1) / (float)across),
                float.Lerp(uvFrom, uvTo, c / (across + 1) / (float)up)))],
            TriangleMaterials = new int[corners.Length / 3],
            PolygonCount = corners.Length / 3,
        };
    }

    /// <summary>A ring of radius 1 with a tube of radius 0.4, around the Y axis.</summary>
    public static Mesh Torus(string name, int around, int tube) => Bent(name, around, tube, (u, v) =>
    {
        var (sinU, cosU) = MathF.SinCos(2 * MathF.PI * (u == 1 ? 0 : u));
        var (sinV, cosV) = MathF.SinCos(2 * MathF.PI * (v == 1 ? 0 : v));
        return new Vector3((1 + 0.4f * cosV) * sinU, 0.4f * sinV, (1 + 0.4f * cosV) * cosU);
    });

    /// <summary>Unit normal of the ring at a place near it.</summary>
    public static Vector3 TorusNormal(Vector3 p)
    {
        var middle = Vector3.Normalize(new Vector3(p.X, 0, p.Z));
        return Vector3.Normalize(p - middle);
    }

    /// <summary>A cube of side 1 whose six sides have their own place on the tile, flat.</summary>
    public static Mesh Box(string name, int across, float rounding)
    {
        (Vector3 Right, Vector3 Up)[] sides =
        [
            (Vector3.UnitX, Vector3.UnitY), (-Vector3.UnitX, Vector3.UnitY), (-Vector3.UnitZ, Vector3.UnitY), (Vector3.UnitZ, Vector3.UnitY),
                (Vector3.UnitX, -Vector3.UnitZ), (Vector3.UnitX, Vector3.UnitZ),
        ];
        var meshes = sides.Select((side, n) => Bent(name, across, across,
            (u, v) => Rounded(Vector3.Cross(side.Right, side.Up) * 0.5f + side.Right * (u - 0.5f) + side.Up * (v - 0.5f), rounding))).ToArray();
        var (positions, corners) = Mesh.Join(meshes);
        Vector2[] uvs = [.. meshes.SelectMany(
            (m, n) => m.Uvs!.Select(uv => new Vector2((n % 3 + 0.04f + 0.92f * uv.X) / 3, (n / 3 + 0.04f + 0.92f * uv.Y) / 3)))];
        var box = new Mesh
        {
            Name = name,
            Positions = positions,
            Corners = corners,
            UvSets = [uvs],
            TriangleMaterials = new int[corners.Length / 3],
            PolygonCount = corners.Length / 3
        };
        return rounding > 0 ? box : Shapes.WithFlatNormals(box);
    }

    /// <summary>Unit normal of the rounded cube at a place on it.</summary>
    public static Vector3 BoxNormal(Vector3 p, float rounding)
    {
        float inner = 0.5f - rounding;
        return Vector3.Normalize(p - Vector3.Clamp(p, new Vector3(-inner), new Vector3(inner)));
    }

    private static Vector3 Rounded(Vector3 p, float rounding)
    {
        if (rounding <= 0)
            return p;
        float inner = 0.5f - rounding;
        var nearest = Vector3.Clamp(p, new Vector3(-inner), new Vector3(inner));
        return nearest + rounding * Vector3.Normalize(p - nearest);
    }
}
