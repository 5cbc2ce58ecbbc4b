using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Demo;

/// <summary>
/// The tipping rain gauge of the salt marsh station. It arrives wrong on purpose, as files from another scene do: in centimetres,
/// with Z up, a prefix before every name, a name in the wrong case, a stray second material, a texture path to a folder that does
/// not exist, and a mirrored part whose scale was never applied.
/// </summary>
public static class RainGauge
{
    /// <summary>What stands before every name.</summary>
    public const string Prefix = "yard03:";

    private static readonly Material LowMaterial = new("rain_gauge", new Vector4(0.55f, 0.58f, 0.57f, 1), 0.5f, 0.9f)
    {
        Textures = [new TextureUse(TextureKind.BaseColour, "D:/station_old/maps/rain_gauge_colour.png")],
    };

    private static readonly Material StrayMaterial = new("scratch", new Vector4(0.6f, 0.6f, 0.6f, 1), 0.6f, 0);
    private static readonly Material HighMaterial = new("galvanised", new Vector4(0.55f, 0.58f, 0.57f, 1), 0.5f, 0.9f);

    /// <summary>The low side as it arrives.</summary>
    public static Scene Low()
    {
        var scene = RightLow();
        var meshes = scene.Meshes.Select(m => Wrong(m with { Name = m.Name == "bucket_low" ? "Bucket_low" : m.Name })).ToArray();
        // A few faces of the base kept a material that somebody tried out.
        int at = Array.FindIndex(meshes, m => m.Name.EndsWith("base_low", StringComparison.Ordinal));
        meshes[at] = meshes[at] with { TriangleMaterials = [.. meshes[at].TriangleMaterials.Select((m, t) => t is >= 40 and < 46 ? 1 : m)] };
        return scene with { Meshes = meshes, Materials = [LowMaterial, StrayMaterial] };
    }

    /// <summary>The high side as it arrives.</summary>
    /// <param name="every">Every how many lines of its grids are kept along each side: 1 for the demo, more for a coarse one.</param>
    public static Scene High(int every = 1)
    {
        var scene = Assembly.High("rain_gauge_high.glb", [.. Parts()], HighMaterial, copiesShare: true, every);
        return scene with
        {
            // The bracket was made by mirroring another one; its positions are right, its transform says scale -1.
            Meshes = [.. scene.Meshes.Select(Wrong)
                .Select(m => m.Name.EndsWith("bracket_high", StringComparison.Ordinal)
                ? m with { Placement = Matrix4x4.CreateScale(-1, 1, 1) * Matrix4x4.CreateTranslation(8, 0, 20) } : m)],
        };
    }

    /// <summary>Colour of the low side's material: weathered zinc with rust that runs down.</summary>
    public static Bitmap8 Colour(int side)
    {
        var picture = new Bitmap8(side, side, 3);
        for (int y = 0; y < side; y++)
        {
            for (int x = 0; x < side; x++)
            {
                float u = x / (float)side, v = y / (float)side;
                float spangle = Wood.Noise(u * 70, v * 70, 0, 3), cloud = Wood.Noise(u * 9, v * 9, 0, 5);
                float rust = Math.Clamp((Wood.Noise(u * 60, v * 4, 0, 11) - 0.72f) * 5 * Wood.Noise(u * 7, v * 7, 0, 13), 0, 1);
                var zinc = new Vector3(0.62f, 0.66f, 0.66f) * (0.82f + 0.18f * spangle) * (0.88f + 0.12f * cloud);
                var colour = Vector3.Lerp(zinc, new Vector3(0.46f, 0.27f, 0.15f), rust);
                for (int c = 0; c < 3; c++)
                    picture.Pixels[3 * (y * side + x) + c] = (byte)(Math.Clamp(colour[c], 0, 1) * 255 + 0.5f);
            }
        }
        return picture;
    }

    /// <summary>The low side as it would be if nothing had gone wrong.</summary>
    public static Scene RightLow() => Assembly.Low("rain_gauge_low.obj", [.. Parts()], LowMaterial, copiesShare: true);

    /// <summary>Y up and metres to Z up and centimetres, with the other scene's prefix.</summary>
    private static Mesh Wrong(Mesh mesh) => mesh with
    {
        Name = Prefix + mesh.Name,
        Positions = Array.ConvertAll(mesh.Positions, p => new Vector3(p.X, -p.Z, p.Y) * 100),
        Normals = mesh.Normals is { } normals ? Array.ConvertAll(normals, n => new Vector3(n.X, -n.Z, n.Y)) : null,
    };

    private static IEnumerable<AssemblyPart> Parts()
    {
        const float Wall = 0.0025f;
        yield return new AssemblyPart("base",
            new Lathe([new(0, 0), new(0.105f, 0), new(0.105f, 0.018f), new(0.04f, 0.03f), new(0, 0.03f)], 40, 0.0022f, 0.0004f), Matrix4x4.Identity);
        yield return new AssemblyPart("post", new Turned(0.018f, 0.15f, 22, 3), Matrix4x4.CreateTranslation(0, 0.105f, 0));
        yield return new AssemblyPart("shell", new Lathe(
            [new(0.0975f, 0), new(0.1f, 0), new(0.1f, 0.25f), new(0.0975f, 0.25f)], 40, 0.0008f, 0.0011f), Matrix4x4.CreateTranslation(0, 0.185f, 0));
        yield return new AssemblyPart("funnel", new Lathe(
            [new(0.011f, 0), new(0.013f, 0), new(0.013f, 0.03f), new(0.1f, 0.105f), new(0.1f, 0.125f), new(0.1f - Wall, 0.125f), new(0.1f - Wall, 0.106f),
                new(0.011f, 0.0325f)], 40, 0.001f, 0.0007f),
            Matrix4x4.CreateTranslation(0, 0.355f, 0));
        yield return new AssemblyPart("bucket", new Board(new Vector3(0.115f, 0.03f, 0.04f), 3, -0.006f, []),
            Matrix4x4.CreateRotationZ(0.22f) * Matrix4x4.CreateTranslation(0, 0.29f, 0));
        yield return new AssemblyPart("axle", new Turned(0.004f, 0.1f, 14, 0),
            Matrix4x4.CreateRotationX(MathF.PI / 2) * Matrix4x4.CreateTranslation(0, 0.262f, 0));
        yield return new AssemblyPart("bracket", new Board(new Vector3(0.11f, 0.005f, 0.05f), 1, 0, [new(-0.04f, 0), new(0.04f, 0)]),
            Matrix4x4.CreateRotationZ(-MathF.PI / 2) * Matrix4x4.CreateTranslation(0.12f, 0.3f, 0));
        var bolt = new Lathe([new(0, 0), new(0.0085f, 0), new(0.0085f, 0.005f), new(0.006f, 0.0075f), new(0, 0.0075f)], 18, 0.0008f, 0.0001f);
        for (int i = 0; i < 4; i++)
        {
            var (sin, cos) = MathF.SinCos(MathF.PI / 4 + i * MathF.PI / 2);
            yield return new AssemblyPart($"bolt_{i + 1:00}", bolt, Matrix4x4.CreateTranslation(0.088f * cos, 0.0225f, 0.088f * sin));
        }
    }
}
