using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Convert;

public sealed class CubeNetTests
{
    private const int Side = 32;

    [Fact]
    public void Sides_that_meet_in_the_picture_meet_on_the_cube()
    {
        // Every texel says which way it lies.
        Bitmap32[] sides = [.. Enumerable.Range(0, 6).Select(s => Filled((u, v) => Direction(s, u, v)))];
        var net = (Bitmap32)CubeNet.Unfold(sides);
        Assert.Equal((4 * Side, 3 * Side), (net.Width, net.Height));
        for (int i = 0; i < Side; i++)
        {
            for (int seam = 1; seam < 4; seam++)
                AssertNear(net, seam * Side - 1, Side + i, seam * Side, Side + i);
            AssertNear(net, Side + i, Side - 1, Side + i, Side);
            AssertNear(net, Side + i, 2 * Side - 1, Side + i, 2 * Side);
        }
        Assert.Equal(0, net.Unit(0, 0, 3));
        Assert.Equal(1, net.Unit(Side, Side, 3));
    }

    [Fact]
    public void Sides_of_different_size_and_fewer_than_six_are_refused()
    {
        Bitmap8[] sides = [.. Enumerable.Range(0, 6).Select(_ => new Bitmap8(4, 4, 4))];
        Assert.ThrowsAny<ArgumentException>(() => CubeNet.Unfold(sides[..5]));
        sides[3] = new Bitmap8(2, 2, 4);
        Assert.ThrowsAny<ArgumentException>(() => CubeNet.Unfold(sides));
    }

    // As graphics count the sides of a cube: u to the right, v down, from −1 to 1.
    private static (float X, float Y, float Z) Direction(int side, float u, float v) => side switch
    {
        0 => (1, -v, -u),
        1 => (-1, -v, u),
        2 => (u, 1, v),
        3 => (u, -1, -v),
        4 => (u, -v, 1),
        _ => (-u, -v, -1),
    };

    private static Bitmap32 Filled(Func<float, float, (float X, float Y, float Z)> of)
    {
        var side = new Bitmap32(Side, Side, 4);
        for (int i = 0; i < Side * Side; i++)
        {
            var (x, y, z) = of((i % Side + 0.5f) / Side * 2 - 1, (i / Side + 0.5f) / Side * 2 - 1);
            (side.Pixels[4 * i], side.Pixels[4 * i + 1], side.Pixels[4 * i + 2], side.Pixels[4 * i + 3]) = (x, y, z, 1);
        }
        return side;
    }

    private static void AssertNear(Bitmap32 net, int x, int y, int x2, int y2)
    {
        for (int c = 0; c < 3; c++)
            Assert.InRange(net.Unit(x, y, c) - net.Unit(x2, y2, c), -2.01f / Side, 2.01f / Side);
    }
}
