using System.Numerics;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

public sealed class PictureOpsTests
{
    [Theory]
    [InlineData(3, 1)]
    [InlineData(5, 4)]
    [InlineData(9, 0.5)]
    public void A_ramp_of_heights_becomes_its_own_slope(int kernel, double strength)
    {
        const int Side = 64;
        // Rises to the right by 0.2 and downwards by 0.1 of full scale over the picture.
        var height = new Bitmap32(Side, Side, 1, [.. Enumerable.Range(0, Side * Side).Select(i => 0.2f * (i % Side) / Side + 0.1f * (i / Side) / Side)]);
        float dx = 0.2f / Side * (float)strength, dy = 0.1f / Side * (float)strength;
        foreach (bool up in (bool[])[true, false])
        {
            var normals = HeightToNormal.Convert(height, (float)strength, kernel, wrap: false, greenUp: up);
            var expected = Vector3.Normalize(new Vector3(-dx, up ? dy : -dy, 1));
            var found = new Vector3(normals.Unit(30, 30, 0), normals.Unit(30, 30, 1), normals.Unit(30, 30, 2)) * 2 - Vector3.One;
            Assert.True(Vector3.Distance(expected, found) < 1e-4f, $"{expected} {found}");
        }
    }

    [Fact]
    public void The_way_green_turns_is_told_by_the_content_alone()
    {
        var bumps = new Bitmap32(96, 96, 1, [.. Enumerable.Range(0, 96 * 96).Select(i => 0.5f + 0.2f * MathF.Sin(i % 96 * 0.31f) * MathF.Cos(i / 96 * 0.23f))]);
        foreach (bool up in (bool[])[true, false])
        {
            var content = PictureContent(HeightToNormal.Convert(bumps, 6, 3, true, up));
            Assert.Equal(up ? GreenDirection.Up : GreenDirection.Down, content.Green);
            Assert.True(content.NormalShare > 0.99 && content.UnitShare > 0.99);
        }
        Assert.Null(PictureContent(new Bitmap8(64, 64, 3, [.. Enumerable.Repeat((byte[])[128, 128, 255], 4096).SelectMany(p => p)])).Green);
    }

    [Theory]
    [InlineData(32, 32)]
    [InlineData(100, 37)]
    [InlineData(13, 64)]
    public void A_flat_picture_stays_flat_at_any_size(int width, int height)
    {
        foreach (var meaning in Enum.GetValues<ColourMeaning>())
        {
            var flat = new Bitmap8(48, 48, 4, [.. Enumerable.Repeat((byte[])[128, 128, 255, 77], 48 * 48).SelectMany(p => p)]);
            var resized = (Bitmap8)PictureOps.Resize(flat, width, height, meaning);
            Assert.Equal((width, height), (resized.Width, resized.Height));
            Assert.All(Enumerable.Range(0, width * height), i => Assert.Equal([128, 128, 255, 77], resized.Pixels.AsSpan(4 * i, 4).ToArray()));
        }
    }

    [Fact]
    public void Black_and_white_halve_to_the_grey_of_half_the_light()
    {
        var stripes = new Bitmap8(64, 64, 3, [.. Enumerable.Range(0, 64 * 64).SelectMany(i => Enumerable.Repeat((byte)(i % 2 == 0 ? 0 : 255), 3))]);
        var colour = (Bitmap8)PictureOps.Resize(stripes, 16, 16, ColourMeaning.Srgb);
        var numbers = (Bitmap8)PictureOps.Resize(stripes, 16, 16, ColourMeaning.Linear);
        Assert.InRange(colour.Pixels[3 * (8 * 16 + 8)], 186, 190);
        Assert.InRange(numbers.Pixels[3 * (8 * 16 + 8)], 126, 130);
    }

    [Fact]
    public void Normals_are_of_unit_length_after_resizing_and_mending()
    {
        var normals = new Bitmap16(40, 40, 3, [.. Enumerable.Range(0, 40 * 40 * 3).Select(i => (ushort)(i % 3 == 2 ? 60000 : 20000 + i * 37 % 25000))]);
        foreach (var picture in (Bitmap[])[PictureOps.Resize(normals, 16, 16, ColourMeaning.Normal), PictureOps.UnitNormals(normals)])
        {
            for (int i = 0; i < picture.Width * picture.Height; i++)
            {
                int x = i % picture.Width, y = i / picture.Width;
                Assert.Equal(1, (new Vector3(picture.Unit(x, y, 0), picture.Unit(x, y, 1), picture.Unit(x, y, 2)) * 2 - Vector3.One).Length(), 1e-3f);
            }
        }
    }

    [Fact]
    public void Dropping_alpha_keeps_the_colours()
    {
        var picture = (Bitmap8)PictureOps.DropAlpha(new Bitmap8(2, 1, 4, [1, 2, 3, 255, 4, 5, 6, 255]));
        Assert.Equal((3, "1,2,3,4,5,6"), (picture.Channels, string.Join(',', picture.Pixels)));
    }

    private static Core.Intake.PictureContent PictureContent(Bitmap picture) => Core.Intake.PictureFacts.Of(picture).Content;
}
