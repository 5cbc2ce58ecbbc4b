using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Convert;

public sealed class SightTests
{
    [Fact]
    public void Errors_by_block_are_the_texels_differences_and_the_worst_lie_apart()
    {
        // Grey 100 everywhere, stored as it is; then two blocks are moved by 30 and by 12.
        var picture = Grey(64, 48, (_, _) => 100);
        var stored = Grey(64, 48, (x, y) => (byte)(x / 4 == 9 && y / 4 == 2 ? 130 : x / 4 == 1 && y / 4 == 10 ? 112 : 100));
        var errors = LevelErrors.Measure(Sight(picture, stored), 0, isSoft: false, 3);
        Assert.Equal((16, 12, 4, 4, false), (errors.Across, errors.Down, errors.BlockWidth, errors.BlockHeight, errors.IsAngle));
        Assert.Equal(30, errors.Errors[2 * 16 + 9], 3);
        Assert.Equal(12, errors.Errors[10 * 16 + 1], 3);
        Assert.Equal(2, errors.Errors.Count(e => e > 0));
        Assert.Equal([(36, 8, 30f), (4, 40, 12f)], errors.Worst.Select(p => (p.X, p.Y, MathF.Round(p.Error))));
        Assert.Equal(errors.Errors, LevelErrors.Measure(Sight(picture, stored), 0, isSoft: false, 1).Errors);
    }

    [Fact]
    public void Of_normals_errors_are_the_angle_between_them()
    {
        var flat = Normals(32, _ => 0);
        var tilted = Normals(32, x => x < 16 ? 0 : 10);
        var errors = LevelErrors.Measure(new TextureSight(flat, Rgba(tilted), ColourMeaning.Normal, MipFilter.None, wraps: false, 1), 0, isSoft: false, 1);
        Assert.True(errors.IsAngle);
        Assert.All(Enumerable.Range(0, errors.Errors.Count), i => Assert.InRange(errors.Errors[i], i % 8 < 4 ? 0 : 9.5f, i % 8 < 4 ? 0 : 10.5f));
    }

    [Fact]
    public void Stripes_are_lost_where_a_level_has_no_texels_for_them_and_a_plain_picture_keeps_all()
    {
        // Stripes of two texels: mip 1 has each as one texel, mip 2 has their mean.
        var stripes = Grey(128, 128, (x, _) => (byte)(x / 2 % 2 == 0 ? 60 : 180));
        var levels = LevelQuality.Measure(Boxed(stripes), 2);
        Assert.Equal(8, levels.Count);
        Assert.Null(levels[0].SoftPsnr);
        Assert.Equal(1, levels[0].Kept);
        // Between two stripes a card draws straight lines: a quarter of a step on either side.
        Assert.InRange(levels[1].Kept, 0.70, 0.80);
        Assert.InRange(levels[2].Kept, 0, 0.01);
        Assert.All(levels, l => Assert.Null(l.Stored.Psnr));
        Assert.Equal("Soft from mip 1 on (64 × 64 px): drawn large, it keeps 75 % of what the picture's texels differ by.", LevelQuality.Said(levels));

        var plain = LevelQuality.Measure(Boxed(Grey(32, 32, (_, _) => 77)), 2);
        Assert.All(plain, l => Assert.Equal((1, (double?)null), (l.Kept, l.SoftPsnr)));
        Assert.StartsWith("No level is soft", LevelQuality.Said(plain), StringComparison.Ordinal);
        // Stripes of one code are lost as well, and nobody sees it.
        var faint = LevelQuality.Measure(Boxed(Grey(64, 64, (x, _) => (byte)(100 + x % 2))), 2);
        Assert.InRange(faint[3].Kept, 0, 0.01);
        Assert.All(faint, l => Assert.False(l.IsSoft));
    }

    [Fact]
    public void A_plain_colour_drawn_large_is_itself()
    {
        var plain = new Bitmap8(40, 40, 3);
        for (int i = 0; i < plain.Pixels.Length; i++)
            plain.Pixels[i] = (byte)(i % 3 * 90 + 31);
        var texture = TextureConverter.Convert(plain, new ConvertSettings(TextureFormat.Rgba8, ColourMeaning.Srgb), 1);
        Assert.All(LevelQuality.Measure(new TextureSight(plain, texture, ColourMeaning.Srgb, MipFilter.Kaiser, wraps: false, 1), 1),
            l => Assert.Equal((null, 1.0, false), (l.SoftPsnr, l.Kept, l.IsSoft)));
    }

    [Fact]
    public void Softness_by_place_is_where_the_detail_is_also_where_sides_do_not_halve_evenly()
    {
        // Detail in the left half alone.
        var picture = Grey(100, 52, (x, y) => (byte)(x < 50 ? (x + y) % 2 * 200 : 90));
        var errors = LevelErrors.Measure(Boxed(picture), 3, isSoft: true, 2);
        Assert.Equal((3, 2), (errors.Across, errors.Down));
        Assert.True(errors.Errors[0] > 80, $"{errors.Errors[0]}");
        Assert.True(errors.Errors[2] < 1, $"{errors.Errors[2]}");
        Assert.Equal((0, 32, 32), (errors.Worst[0].X, errors.Worst[0].Width, errors.Worst[0].Height));
        Assert.Throws<ArgumentOutOfRangeException>(() => LevelErrors.Measure(Boxed(picture), 9, isSoft: true, 2));
    }

    [Fact]
    public void A_smaller_texture_is_set_beside_its_picture_as_it_was_brought_to_its_size()
    {
        var picture = Grey(96, 64, (x, y) => (byte)(x * 2 + y));
        var texture = TextureConverter.Convert(picture, new ConvertSettings(TextureFormat.Rgba8, ColourMeaning.Linear) { Size = 48 }, 1);
        var sight = new TextureSight(picture, texture, ColourMeaning.Linear, MipFilter.Kaiser, wraps: false, 1);
        Assert.All(LevelQuality.Measure(sight, 1), l => Assert.Null(l.Stored.Psnr));
        var other = new TextureSight(picture, TextureConverter.Convert(picture, new ConvertSettings(TextureFormat.Bc4, ColourMeaning.Linear), 1),
            ColourMeaning.Linear, MipFilter.Kaiser, wraps: false, 1);
        var levels = LevelQuality.Measure(other, 1);
        Assert.Equal(TextureQuality.Measure(picture, other.Texture, ColourMeaning.Linear).Psnr, levels[0].Stored.Psnr);
        Assert.Equal(levels[0].Stored.Psnr!.Value, levels[0].SoftPsnr!.Value, 9);
    }

    [Fact]
    public void Signed_and_two_channel_normals_are_drawn_large_as_normals()
    {
        // One tilt all over: no level loses anything, whichever way it is stored.
        var tilted = Normals(64, _ => 25);
        foreach (var format in new[] { TextureFormat.Bc5, TextureFormat.Bc5Signed, TextureFormat.EacRgSigned, TextureFormat.Rgba8 })
        {
            var texture = TextureConverter.Convert(tilted, new ConvertSettings(format, ColourMeaning.Normal), 1);
            var levels = LevelQuality.Measure(new TextureSight(tilted, texture, ColourMeaning.Normal, MipFilter.Kaiser, wraps: false, 1), 1);
            Assert.All(levels, l => Assert.InRange(l.SoftAngle!.Value, 0, 0.6));
        }
    }

    private static TextureSight Sight(Bitmap8 picture, Bitmap8 stored) => new(picture, Rgba(stored), ColourMeaning.Linear, MipFilter.None, wraps: false, 1);

    private static TextureSight Boxed(Bitmap8 picture) => new(picture,
        TextureConverter.Convert(picture, new ConvertSettings(TextureFormat.Rgba8, ColourMeaning.Linear, MipFilter.Box), 1), ColourMeaning.Linear,
        MipFilter.Box, wraps: false, 1);

    private static Texture Rgba(Bitmap8 picture) => new(picture.Width, picture.Height, TextureFormat.Rgba8, false, [TextureConverter.ToRgba(picture).Pixels]);

    private static Bitmap8 Grey(int width, int height, Func<int, int, byte> value) =>
        new(width, height, 1, [.. Enumerable.Range(0, width * height).Select(i => value(i % width, i / width))]);

    private static Bitmap8 Normals(int side, Func<int, double> degrees) => new(side, side, 3, [.. Enumerable.Range(0, side * side).SelectMany(i =>
    {
        double angle = degrees(i % side) * Math.PI / 180;
        return new[] { (byte)Math.Round(127.5 + 127.5 * Math.Sin(angle)), (byte)128, (byte)Math.Round(127.5 + 127.5 * Math.Cos(angle)) };
    })]);
}
