using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>
/// Puts channels of maps together into the outputs of a recipe: in floating point from the source to the last rounding, or by a table
/// that holds the same for every code of the source.
/// </summary>
public sealed class ChannelPacker
{
    private readonly RecipeOutput output;
    private readonly PackSources sources;
    private readonly int width, height;
    private readonly ParallelOptions options;
    private readonly Dictionary<string, (PackSource Source, int Width, int Height)> fitted = new(StringComparer.Ordinal);

    private ChannelPacker(RecipeOutput output, PackSources sources, int width, int height, ParallelOptions options) =>
        (this.output, this.sources, this.width, this.height, this.options) = (output, sources, width, height, options);

    private bool IsFloat => output.Picture.IsFloat(output.Bits);

    /// <summary>Makes one output.</summary>
    /// <param name="output">What to make.</param>
    /// <param name="sources">The maps there are.</param>
    /// <param name="width">Width of the output, pixels; maps of another size are brought to it.</param>
    /// <param name="height">Its height.</param>
    /// <param name="threads">Threads to use; the texels do not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static PackedOutput Pack(
        RecipeOutput output, PackSources sources, int width, int height, int threads = 1, CancellationToken cancel = default) =>
        new ChannelPacker(output, sources, width, height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }).Run();

    /// <summary>What a material says without textures: codes of 0 to 255 a channel, by the map's name.</summary>
    public static Dictionary<string, int[]> MaterialMaps(Material material)
    {
        var c = material.BaseColour;
        return new Dictionary<string, int[]>
        {
            ["colour"] = [Code(Srgb.FromLinear(c.X)), Code(Srgb.FromLinear(c.Y)), Code(Srgb.FromLinear(c.Z)), Code(c.W)],
            ["metalness"] = [Code(material.Metalness)],
            ["roughness"] = [Code(material.Roughness)],
        };
    }

    private static byte Code(float value) => (byte)Math.Clamp((int)(value * 255 + 0.5f), 0, 255);

    private PackedOutput Run()
    {
        int count = output.Channels.Count;
        Bitmap picture = output.Picture.DepthOf(output.Bits) switch
        {
            8 => new Bitmap8(width, height, count),
            16 => new Bitmap16(width, height, count),
            _ => new Bitmap32(width, height, count),
        };
        var channels = new PackedChannel[count];
        for (int c = 0; c < count; c++)
        {
            channels[c] = Fill(picture, c);
            foreach (string done in fitted.Keys.Except(output.Channels.Skip(c + 1).SelectMany(f => f.Maps())).ToArray())
                fitted.Remove(done);
        }
        if (output.Alpha == AlphaUse.Opacity)
            AlphaBleed.Apply(picture, options);
        return new PackedOutput(picture, channels);
    }

    private PackedChannel Fill(Bitmap picture, int channel)
    {
        options.CancellationToken.ThrowIfCancellationRequested();
        var feed = output.Channels[channel];
        string? from = sources.First(feed.From);
        if (from is null)
            return Written(picture, channel, new ChannelTally(), null, null, _ => (row => row.Fill((float)feed.Else)));
        var (one, wasWide, wasHigh) = Fitted(from);
        var was = (wasWide, wasHigh) == (width, height) || one.IsOneValue ? (0, 0) : (wasWide, wasHigh);
        bool isColour = output.Meaning == ColourMeaning.Srgb && !(channel == picture.Channels - 1 && picture.Channels is 2 or 4);
        string? mixed = sources.First(feed.Mix?.From), by = sources.First(feed.Mix?.By);
        // A mix by a mask that is not there mixes nothing.
        if (feed.Mix?.By is { Count: > 0 } && by is null)
            mixed = null;
        // Colour in floating point is linear light.
        bool isEncoded = isColour && !(IsFloat && one.Picture is Bitmap32);
        float Change(float value) => IsFloat && isEncoded && mixed is null ? Srgb.ToLinear(Math.Max(0, Changed(value, feed))) : Changed(value, feed);
        var tally = new ChannelTally();
        if (mixed is null && ChannelTable.Of(one, feed.Channel, Change) is { } table && ChannelTable.CanFill(picture, output.Dither))
        {
            table.Fill(picture, channel, tally, options);
            return tally.Channel(from, null, was, picture);
        }
        if (mixed is null)
        {
            var plain = ChannelReader.Of(one, feed.Channel, IsFloat, Change);
            return Written(picture, channel, tally, from, null, y => row => plain.Read(y, row), was);
        }
        var mix = feed.Mix!;
        // Colours are mixed in linear light.
        float Lit(float value) => isEncoded ? Srgb.ToLinear(Math.Max(0, Change(value))) : Change(value);
        var two = Fitted(mixed).Source;
        float Second(float value)
        {
            float v = mix.Invert ? 1 - value : value;
            return isColour && two.Meaning == ColourMeaning.Srgb && !(IsFloat && two.Picture is Bitmap32) ? Srgb.ToLinear(Math.Max(0, v)) : v;
        }
        var first = ChannelReader.Of(one, feed.Channel, IsFloat, Lit);
        var second = ChannelReader.Of(two, mix.Channel, IsFloat, Second);
        var mask = by is null ? null : ChannelReader.Of(Fitted(by).Source, mix.ByChannel, IsFloat, v => v);
        return Written(picture, channel, tally, from, mixed, y =>
        {
            float[] b = new float[width], m = new float[width];
            return row =>
            {
                first.Read(y, row);
                second.Read(y, b);
                m.AsSpan().Fill(1);
                mask?.Read(y, m);
                for (int x = 0; x < row.Length; x++)
                {
                    float value = row[x] + (float)mix.Amount * m[x] * (Mixed(mix.How, row[x], b[x]) - row[x]);
                    row[x] = isColour && !IsFloat ? Srgb.FromLinear(value) : value;
                }
            };
        }, was);
    }

    /// <summary>Writes rows of floating-point values into a channel.</summary>
    private PackedChannel Written(
        Bitmap picture, int channel, ChannelTally tally, string? from, string? mixed, Func<int, RowReader> rows, (int, int) was = default)
    {
        Parallel.For(0, height, options, () => (Row: new float[width], Tally: new ChannelTally()), (y, _, own) =>
        {
            rows(y)(own.Row);
            ChannelWriter.Write(picture, channel, y, own.Row, output.Dither, own.Tally);
            return own;
        }, own => tally.Add(own.Tally));
        return tally.Channel(from, mixed, was, picture);
    }

    private delegate void RowReader(Span<float> row);

    private static float Changed(float value, Feed feed)
    {
        double from = feed.Range[0], to = feed.Range[1];
        double share = from == 0 && to == 1 ? value : (value - from) / (to - from);
        if (feed.Exponent != 1)
            share = Math.Pow(Math.Clamp(share, 0, 1), feed.Exponent);
        return (float)(feed.Invert ? 1 - share : share);
    }

    private static float Mixed(MixHow how, float one, float two) => how switch
    {
        MixHow.Multiply => one * two,
        MixHow.Lighten => MathF.Max(one, two),
        MixHow.Darken => MathF.Min(one, two),
        MixHow.Add => one + two,
        _ => two,
    };

    /// <summary>A map at the output's size, its normals worked as the output says; and the size it had.</summary>
    private (PackSource Source, int Width, int Height) Fitted(string name)
    {
        if (fitted.TryGetValue(name, out var known))
            return known;
        var loaded = sources.Load(name);
        var source = Resized(loaded);
        if (output.Normals is { } work && source.Meaning == ColourMeaning.Normal && source.Picture.Channels >= 3)
        {
            var detail = sources.First(work.Detail) is { } laid ? Resized(sources.Load(laid)) : null;
            source = NormalWorking.Apply(source, detail?.Picture.Channels >= 3 ? detail : null, work, options);
        }
        return fitted[name] = (source, loaded.Picture.Width, loaded.Picture.Height);
    }

    private PackSource Resized(PackSource source) => source.IsOneValue || (source.Picture.Width, source.Picture.Height) == (width, height) ? source
        : source with { Picture = PictureOps.Resize(source.Picture, width, height, source.Meaning, options.CancellationToken) };
}
