using System.Numerics;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Xunit;

namespace Crumpet.Core.Tests.Pack;

/// <summary>Normals that are bent, turned and laid on each other stay directions.</summary>
public sealed class NormalWorkTests
{
    [Fact]
    public void Blended_normals_have_length_one()
    {
        var packed = Worked(Normals(40, 30, 1), new NormalWork(1.7, true, ["detail"], 0.6), Normals(40, 30, 2));
        for (int i = 0; i < 40 * 30; i++)
            Assert.Equal(1, At(packed, i).Length(), 1e-4);
    }

    [Fact]
    public void A_flat_detail_leaves_the_base_and_a_flat_base_gives_the_detail()
    {
        var some = Normals(20, 20, 3);
        var plain = Worked(some, new NormalWork(), null);
        var straight = Flat(20, 20);
        for (int i = 0; i < 400; i++)
        {
            Assert.True(Vector3.Distance(At(plain, i), At(Worked(some, new NormalWork(Detail: ["detail"]), straight), i)) < 2e-4f);
            Assert.True(Vector3.Distance(At(plain, i), At(Worked(straight, new NormalWork(Detail: ["detail"]), some), i)) < 2e-4f);
        }
    }

    [Fact]
    public void Green_turned_twice_is_as_it_was_and_strength_multiplies_slopes()
    {
        var some = Normals(16, 16, 4);
        var plain = Worked(some, new NormalWork(), null);
        var turned = Worked(some, new NormalWork(TurnGreen: true), null);
        var steep = Worked(some, new NormalWork(3), null);
        for (int i = 0; i < 256; i++)
        {
            var n = At(plain, i);
            Assert.True(Vector3.Distance(new Vector3(n.X, -n.Y, n.Z), At(turned, i)) < 1e-4f);
            var s = At(steep, i);
            Assert.Equal(3 * n.X / n.Z, s.X / s.Z, 0.01);
            Assert.Equal(3 * n.Y / n.Z, s.Y / s.Z, 0.01);
        }
    }

    [Fact]
    public void Two_channels_and_another_in_the_third_leave_the_direction_to_be_computed()
    {
        var some = Normals(16, 16, 5);
        var rough = ChannelTests.Noise(16, 16, 1, 8, 6);
        var output = new RecipeOutput("o", ColourMeaning.Normal,
            [Feed.Of("normal"), Feed.Of("normal", FeedChannel.G), Feed.Of("roughness")])
        { Normals = new NormalWork(), Bits = 16 };
        var packed = ChannelTests.Pack(output, 16, 16, ("normal", some), ("roughness", rough)).Picture;
        var plain = Worked(some, new NormalWork(), null);
        for (int i = 0; i < 256; i++)
        {
            float x = 2 * packed.Unit(i % 16, i / 16, 0) - 1, y = 2 * packed.Unit(i % 16, i / 16, 1) - 1;
            Assert.True(Vector3.Distance(At(plain, i), new Vector3(x, y, MathF.Sqrt(1 - x * x - y * y))) < 1e-3f);
            Assert.Equal(rough.Unit(i % 16, i / 16, 0), packed.Unit(i % 16, i / 16, 2), 1e-5);
        }
    }

    private static Bitmap Worked(Bitmap normal, NormalWork work, Bitmap? detail)
    {
        var output = new RecipeOutput("o", ColourMeaning.Normal,
            [Feed.Of("normal"), Feed.Of("normal", FeedChannel.G), Feed.Of("normal", FeedChannel.B)])
        { Normals = work, Bits = 16 };
        (string, Bitmap)[] maps = detail is null ? [("normal", normal)] : [("normal", normal), ("detail", detail)];
        return ChannelTests.Pack(output, normal.Width, normal.Height, maps).Picture;
    }

    private static Vector3 At(Bitmap picture, int i)
    {
        int x = i % picture.Width, y = i / picture.Width;
        return 2 * new Vector3(picture.Unit(x, y, 0), picture.Unit(x, y, 1), picture.Unit(x, y, 2)) - Vector3.One;
    }

    private static Bitmap16 Normals(int width, int height, uint seed)
    {
        var picture = new Bitmap16(width, height, 3);
        for (int i = 0; i < width * height; i++)
        {
            float Draw(uint k) => Hash.ToUnit(Hash.Mix((uint)(2 * i) + k + 7919 * seed));
            var n = Vector3.Normalize(new Vector3(1.2f * Draw(0) - 0.6f, 1.2f * Draw(1) - 0.6f, 1));
            for (int c = 0; c < 3; c++)
                picture.Pixels[3 * i + c] = (ushort)((n[c] * 0.5f + 0.5f) * 65535 + 0.5f);
        }
        return picture;
    }

    private static Bitmap32 Flat(int width, int height) => new(width, height, 3, [.. Enumerable.Range(0, 3 * width * height).Select(i => i % 3 == 2 ? 1f : 0)]);
}
