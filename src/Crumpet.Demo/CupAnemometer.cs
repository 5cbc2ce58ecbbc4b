using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>The wind gauge of the salt marsh station: three thin cups on arms, all copies of one, on a hub and a mast.</summary>
public static class CupAnemometer
{
    private const float ArmLength = 0.1f;
    private const float Height = 0.62f;

    private static readonly Material LowMaterial = new("cup_anemometer", new Vector4(0.42f, 0.44f, 0.45f, 1), 0.45f, 1);
    private static readonly Material HighMaterial = new("brushed_alloy", new Vector4(0.42f, 0.44f, 0.45f, 1), 0.45f, 1);

    /// <summary>The low side; the three arms and the three cups lie on the same texels.</summary>
    public static Scene Low() => Assembly.Low("cup_anemometer_low.obj", [.. Parts()], LowMaterial, copiesShare: true);

    /// <summary>The high side.</summary>
    /// <param name="every">Every how many lines of its grids are kept along each side: 1 for the demo, more for a coarse one.</param>
    public static Scene High(int every = 1) => Assembly.High("cup_anemometer_high.glb", [.. Parts()], HighMaterial, copiesShare: true, every);

    private static IEnumerable<AssemblyPart> Parts()
    {
        yield return new AssemblyPart("foot",
            new Lathe([new(0, 0), new(0.07f, 0), new(0.07f, 0.012f), new(0.026f, 0.022f), new(0, 0.022f)], 32, 0.0018f, 0.0003f), Matrix4x4.Identity);
        yield return new AssemblyPart("mast", new Turned(0.014f, Height - 0.1f, 20, 6), Matrix4x4.CreateTranslation(0, 0.03f + (Height - 0.1f) / 2, 0));
        yield return new AssemblyPart("hub", new Lathe([new(0, 0), new(0.024f, 0), new(0.027f, 0.03f), new(0.02f, 0.052f), new(0, 0.06f)], 28, 0.0016f,
            0.0002f), Matrix4x4.CreateTranslation(0, Height - 0.06f, 0));
        var arm = new Turned(0.0045f, ArmLength, 14, 2);
        var cup = Cup(0.034f, 0.0018f, 7);
        var lie = Matrix4x4.CreateRotationZ(-MathF.PI / 2) * Matrix4x4.CreateTranslation(0.03f + ArmLength / 2, Height - 0.042f, 0);
        // Cups open along the way they turn.
        var hang = Matrix4x4.CreateRotationX(MathF.PI / 2) * Matrix4x4.CreateTranslation(0.03f + ArmLength + 0.038f, Height - 0.042f, 0);
        for (int i = 0; i < 3; i++)
        {
            var turn = Matrix4x4.CreateRotationY(i * 2 * MathF.PI / 3);
            yield return new AssemblyPart($"arm_{i + 1:00}", arm, lie * turn);
            yield return new AssemblyPart($"cup_{i + 1:00}", cup, hang * turn);
        }
    }

    /// <summary>Half a hollow ball that opens upwards.</summary>
    private static Lathe Cup(float radius, float wall, int steps)
    {
        var outline = new List<Vector2>();
        for (int i = 0; i <= steps; i++)
            outline.Add(Arc(radius, i / (float)steps));
        for (int i = steps; i >= 0; i--)
            outline.Add(Arc(radius - wall, i / (float)steps));
        return new Lathe(outline, 28, 0.0006f, 0.0004f);

        static Vector2 Arc(float r, float share)
        {
            var (sin, cos) = MathF.SinCos(share * MathF.PI / 2);
            return share == 0 ? new Vector2(0, -r) : new Vector2(r * sin, -r * cos);
        }
    }
}
