using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>
/// The slatted instrument shelter of the salt marsh station: dozens of slats that nearly touch, posts, hinges, a latch.
/// </summary>
public static class LouvreScreen
{
    private const float Half = 0.23f;
    private const float SlatPitch = 0.06f;
    private const int SlatsPerSide = 7;

    private static readonly Material LowMaterial = new("louvre_screen", new Vector4(0.78f, 0.76f, 0.68f, 1), 0.62f, 0);
    private static readonly Material HighMaterial = new("painted_larch", new Vector4(0.78f, 0.76f, 0.68f, 1), 0.62f, 0);

    /// <summary>The low side: one object a part, one material, UVs at one density.</summary>
    public static Scene Low() => Assembly.Low("louvre_screen_low.obj", [.. Parts()], LowMaterial, copiesShare: false);

    /// <summary>The high side: rounded edges, screws, dents and grain, on each part its own.</summary>
    /// <param name="every">Every how many lines of its grids are kept along each side: 1 for the demo, more for a coarse one.</param>
    public static Scene High(int every = 1) => Assembly.High("louvre_screen_high.glb", [.. Parts()], HighMaterial, copiesShare: false, every);

    private static IEnumerable<AssemblyPart> Parts() => Slats().Concat(Frame()).Concat(Fittings()).Select(p => new AssemblyPart(p.Item1, p.Item2, p.Item3));

    private static IEnumerable<(string, Shape, Matrix4x4)> Slats()
    {
        var slat = new Board(new Vector3(0.404f, 0.009f, 0.07f), 5, 0.0016f, [new(-0.185f, 0.012f), new(0.185f, 0.012f)]);
        // Steep like shingles: each slat's foot hangs 3.5 mm before the head of the next one down.
        var tilt = Matrix4x4.CreateRotationX(78 * MathF.PI / 180);
        string[] sides = ["south", "east", "north", "west"];
        for (int side = 0; side < 4; side++)
        {
            var turn = Matrix4x4.CreateRotationY(side * MathF.PI / 2);
            for (int i = 0; i < SlatsPerSide; i++)
            {
                var move = Matrix4x4.CreateTranslation(0, 0.69f + i * SlatPitch, Half - 0.006f);
                yield return ($"slat_{sides[side]}_{i + 1:00}", slat, tilt * move * turn);
            }
        }
    }

    private static IEnumerable<(string, Shape, Matrix4x4)> Frame()
    {
        var post = new Board(new Vector3(1.138f, 0.042f, 0.042f), 1, 0, []);
        var upright = Matrix4x4.CreateRotationZ(MathF.PI / 2);
        for (int i = 0; i < 4; i++)
        {
            float x = i is 0 or 3 ? -Half : Half, z = i < 2 ? Half : -Half;
            yield return ($"post_{i + 1:00}", post, upright * Matrix4x4.CreateTranslation(x, 0.599f, z));
        }
        var floor = new Board(new Vector3(0.41f, 0.016f, 0.41f), 1, 0, [new(-0.17f, -0.17f), new(0.17f, -0.17f), new(-0.17f, 0.17f), new(0.17f, 0.17f)]);
        yield return ("floor", floor, Matrix4x4.CreateTranslation(0, 0.63f, 0));
        var roof = new Board(new Vector3(0.6f, 0.02f, 0.318f), 6, 0.003f,
            [new(-0.27f, 0.1f), new(0.27f, 0.1f), new(-0.27f, -0.1f), new(0.27f, -0.1f), new(0, 0.1f), new(0, -0.1f)]);
        for (int i = 0; i < 2; i++)
        {
            var pitch = Matrix4x4.CreateRotationX(14 * MathF.PI / 180) * Matrix4x4.CreateTranslation(0, 1.205f, 0.158f);
            yield return ($"roof_{i + 1:00}", roof, pitch * Matrix4x4.CreateRotationY(i * MathF.PI));
        }
        var ridge = new Turned(0.017f, 0.62f, 16, 4);
        yield return ("ridge", ridge, Matrix4x4.CreateRotationZ(MathF.PI / 2) * Matrix4x4.CreateTranslation(0, 1.258f, 0));
    }

    private static IEnumerable<(string, Shape, Matrix4x4)> Fittings()
    {
        var leaf = new Board(new Vector3(0.05f, 0.004f, 0.03f), 1, 0, [new(-0.016f, 0), new(0.016f, 0)]);
        var pin = new Turned(0.0065f, 0.058f, 18, 3);
        for (int i = 0; i < 2; i++)
        {
            float y = 0.76f + 0.26f * i;
            var stand = Matrix4x4.CreateRotationX(MathF.PI / 2) * Matrix4x4.CreateRotationZ(MathF.PI / 2);
            yield return ($"hinge_{i + 1:00}_leaf", leaf, stand * Matrix4x4.CreateTranslation(-Half, y, Half + 0.0235f));
            yield return ($"hinge_{i + 1:00}_pin", pin, Matrix4x4.CreateTranslation(-Half + 0.0235f, y, Half + 0.0275f));
        }
        yield return ("latch_plate", leaf, Matrix4x4.CreateRotationX(MathF.PI / 2) * Matrix4x4.CreateTranslation(Half, 0.9f, Half + 0.0235f));
        var knob = new Turned(0.011f, 0.026f, 20, 1);
        yield return ("latch_knob", knob, Matrix4x4.CreateRotationX(MathF.PI / 2) * Matrix4x4.CreateTranslation(Half, 0.9f, Half + 0.041f));
        var foot = new Turned(0.036f, 0.026f, 20, 1);
        for (int i = 0; i < 4; i++)
        {
            float x = i is 0 or 3 ? -Half : Half, z = i < 2 ? Half : -Half;
            yield return ($"foot_{i + 1:00}", foot, Matrix4x4.CreateTranslation(x, 0.0135f, z));
        }
    }
}
