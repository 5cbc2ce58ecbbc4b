using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Tracing;

public sealed class ThumbnailTests
{
    [Fact]
    public void A_sphere_stands_whole_in_the_middle_of_the_grey_table()
    {
        var picture = Thumbnail.Draw([Shapes.Sphere("s", 64, 32)], 64, 2, default);
        bool Table(int x, int y) => Enumerable.Range(0, 3).All(c => picture.Pixels[(y * 64 + x) * 3 + c] == 0x77);
        for (int i = 0; i < 64; i++)
            Assert.True(Table(i, 0) && Table(i, 63) && Table(0, i) && Table(63, i));
        int covered = Enumerable.Range(0, 64 * 64).Count(i => !Table(i % 64, i / 64));
        // Framed by the box's corners: the sphere's outline fills a third of the side's square, within the perspective's stretch.
        Assert.InRange(covered / 4096.0, 0.2, 0.4);
        Assert.Equal(picture.Pixels, Thumbnail.Draw([Shapes.Sphere("s", 64, 32)], 64, 1, default).Pixels);
    }
}
