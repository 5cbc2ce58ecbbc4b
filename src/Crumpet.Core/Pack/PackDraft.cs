using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>An output as it will be, small enough to be seen while it is being decided: worked by the same code from maps made small.</summary>
public static class PackDraft
{
    /// <summary>Longest side, pixels.</summary>
    public const int Side = 512;

    /// <summary>A map at the size drafts are worked from; smaller ones stay as they are.</summary>
    /// <param name="source">The map.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static PackSource Small(PackSource source, CancellationToken cancel)
    {
        var (width, height) = Within(source.Picture.Width, source.Picture.Height);
        return (width, height) == (source.Picture.Width, source.Picture.Height) ? source
            : source with { Picture = PictureOps.Resize(source.Picture, width, height, source.Meaning, cancel) };
    }

    /// <summary>Works an output small.</summary>
    /// <param name="output">The output.</param>
    /// <param name="sources">Maps made small.</param>
    /// <param name="width">Width of the sheet, pixels.</param>
    /// <param name="height">Its height.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static PackedOutput Work(RecipeOutput output, PackSources sources, int width, int height, CancellationToken cancel)
    {
        var (w, h) = OutputSize.Of(output.Size)!.Value.For(width, height);
        (w, h) = Within(w, h);
        return ChannelPacker.Pack(output, sources, w, h, Environment.ProcessorCount, cancel);
    }

    /// <summary>A channel of an output by itself.</summary>
    /// <param name="output">The output.</param>
    /// <param name="channel">Number of the channel, from 0.</param>
    public static RecipeOutput Alone(RecipeOutput output, int channel) => output with { Channels = [output.Channels[channel]], Alpha = AlphaUse.Data };

    /// <summary>A channel as its map holds it, before range, exponent, inversion and mix.</summary>
    /// <param name="output">The output.</param>
    /// <param name="channel">Number of the channel, from 0.</param>
    public static RecipeOutput Before(RecipeOutput output, int channel) => Alone(output, channel) with
    {
        Channels = [output.Channels[channel] with { Range = [0, 1], Exponent = 1, Invert = false, Mix = null }],
    };

    private static (int Width, int Height) Within(int width, int height) =>
        Math.Max(width, height) <= Side ? (width, height) : new OutputSize(0, Side).For(width, height);
}
