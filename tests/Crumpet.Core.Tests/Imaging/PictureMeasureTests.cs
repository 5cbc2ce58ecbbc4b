using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>Statistics and differences against closed forms.</summary>
public sealed class PictureMeasureTests
{
    [Fact]
    public void A_ramp_has_an_even_histogram_and_its_own_ends_and_mean()
    {
        var ramp = new Bitmap8(256, 4, 1, [.. Enumerable.Range(0, 1024).Select(i => (byte)(i % 256))]);
        var channel = Assert.Single(PictureStatistics.Of(ramp).Channels);
        Assert.All(channel.Histogram, n => Assert.Equal(4, n));
        Assert.Equal((0f, 1f), (channel.Least, channel.Greatest));
        Assert.Equal(0.5, channel.Mean, 1e-6);
    }

    [Fact]
    public void Floating_point_pictures_are_counted_from_their_least_to_their_greatest_value()
    {
        var picture = new Bitmap32(4, 1, 1, [-2, 0, 6, float.NaN]);
        var found = PictureStatistics.Of(picture);
        Assert.Equal((-2f, 6f), (found.From, found.To));
        Assert.Equal(3, found.Channels[0].Histogram.Sum());
        Assert.Equal(1, found.Channels[0].Histogram[0]);
        Assert.Equal(1, found.Channels[0].Histogram[^1]);
    }

    [Fact]
    public void One_step_everywhere_is_48_13_decibels()
    {
        var a = new Bitmap8(32, 32, 3);
        var b = new Bitmap8(32, 32, 3, [.. Enumerable.Repeat((byte)1, 32 * 32 * 3)]);
        var found = PictureDifference.Measure(a, b, 2, CancellationToken.None)!;
        Assert.Equal(20 * Math.Log10(255), found.Psnr!.Value, 1e-4);
        Assert.Equal(1024, found.DifferentTexels);
        Assert.Equal(1 / 255f, found.Greatest);
    }

    [Fact]
    public void An_alpha_counts_only_where_something_is_not_opaque()
    {
        var rgb = new Bitmap8(8, 8, 3);
        var opaque = new Bitmap8(8, 8, 4, [.. Enumerable.Range(0, 256).Select(i => (byte)(i % 4 == 3 ? 255 : 1))]);
        Assert.Equal(20 * Math.Log10(255), PictureDifference.Measure(rgb, opaque, 1, CancellationToken.None)!.Psnr!.Value, 1e-4);
        opaque.Pixels[3] = 254;
        Assert.Equal(4, PictureDifference.Measure(rgb, opaque, 1, CancellationToken.None)!.ChannelPsnr.Count);
    }

    [Fact]
    public void Equal_pictures_of_other_depths_and_channels_do_not_differ()
    {
        var grey = new Bitmap8(16, 16, 1, [.. Enumerable.Range(0, 256).Select(i => (byte)i)]);
        var rgba = new Bitmap16(16, 16, 4, [.. Enumerable.Range(0, 1024).Select(i => (ushort)(i % 4 == 3 ? 65535 : i / 4 * 257))]);
        var found = PictureDifference.Measure(grey, rgba, 1, CancellationToken.None)!;
        Assert.True(found.Psnr is null or > 140, $"{found.Psnr}");
        Assert.Null(PictureDifference.Measure(grey, new Bitmap8(16, 17, 1), 1, CancellationToken.None));
    }

    [Fact]
    public void Two_channel_normals_are_seen_with_their_third_component()
    {
        var flat = new Bitmap8(4, 4, 4, [.. Enumerable.Range(0, 64).Select(i => (byte)(i % 4 < 2 ? 128 : 255))]);
        var texture = TextureConverter.Convert(flat, new ConvertSettings(TextureFormat.Bc5, ColourMeaning.Normal), 1);
        Assert.Equal([128, 128, 255], ((Bitmap8)TextureView.Decode(texture, 0, ColourMeaning.Normal)).Pixels[..3]);
        Assert.Equal([128, 128, 0], ((Bitmap8)TextureView.Decode(texture, 0, ColourMeaning.Linear)).Pixels[..3]);
        Assert.Equal((1, 1), (TextureView.Decode(texture, 2, ColourMeaning.Normal).Width, TextureView.Decode(texture, 2, ColourMeaning.Normal).Height));
        Assert.Throws<ArgumentOutOfRangeException>(() => TextureView.Decode(texture, 3, ColourMeaning.Normal));
    }
}
