using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Reads a channel of a map row by row as floating point, each value changed.</summary>
internal abstract class ChannelReader
{
    /// <summary>A reader of a channel. What a picture of one channel is asked for is that channel; alpha that is not there is full.</summary>
    /// <param name="source">The map.</param>
    /// <param name="channel">Its channel.</param>
    /// <param name="asUnits">Whether floating-point values are taken as they are, not as they are shown.</param>
    /// <param name="change">What each value becomes.</param>
    public static ChannelReader Of(PackSource source, FeedChannel channel, bool asUnits, Func<float, float> change)
    {
        var picture = source.Picture;
        int? at = Place(picture.Channels, channel);
        if (at is null)
            return new One(change(1));
        float Value(float raw) => change(source.Shown is not null && !asUnits ? source.Shown(raw, at.Value) : raw);
        return source.IsOneValue ? new One(Value(picture.Unit(0, 0, at.Value)))
            : picture is Bitmap32 real ? new Real(real, at.Value, Value)
            : new Coded(picture, at.Value, CodesOf(picture, change));
    }

    /// <summary>Place of a channel in a picture of so many; null where it has no such channel and alpha is full.</summary>
    public static int? Place(int channels, FeedChannel channel) => channel == FeedChannel.A
        ? channels is 2 or 4 ? channels - 1 : channels == 1 ? 0 : null
        : channels < 3 ? 0 : (int)channel;

    /// <summary>What each code of a picture of whole numbers becomes.</summary>
    public static float[] CodesOf(Bitmap picture, Func<float, float> change)
    {
        int count = 1 << picture.Bits;
        var codes = new float[count];
        for (int i = 0; i < count; i++)
            codes[i] = change(i / (float)(count - 1));
        return codes;
    }

    /// <summary>Reads a row.</summary>
    public abstract void Read(int y, Span<float> into);

    private sealed class One(float value) : ChannelReader
    {
        public override void Read(int y, Span<float> into) => into.Fill(value);
    }

    private sealed class Real(Bitmap32 picture, int channel, Func<float, float> value) : ChannelReader
    {
        public override void Read(int y, Span<float> into)
        {
            int at = y * picture.Width * picture.Channels + channel;
            for (int x = 0; x < into.Length; x++, at += picture.Channels)
                into[x] = value(picture.Pixels[at]);
        }
    }

    private sealed class Coded(Bitmap picture, int channel, float[] codes) : ChannelReader
    {
        public override void Read(int y, Span<float> into)
        {
            int at = y * picture.Width * picture.Channels + channel, step = picture.Channels;
            if (picture is Bitmap8 narrow)
            {
                for (int x = 0; x < into.Length; x++, at += step)
                    into[x] = codes[narrow.Pixels[at]];
                return;
            }
            ushort[] wide = ((Bitmap16)picture).Pixels;
            for (int x = 0; x < into.Length; x++, at += step)
                into[x] = codes[wide[at]];
        }
    }
}
