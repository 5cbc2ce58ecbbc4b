using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>What was written into a channel.</summary>
internal sealed class ChannelTally
{
    private double least = double.PositiveInfinity, most = double.NegativeInfinity;
    private long clipped, codes;

    /// <summary>Counts one value.</summary>
    /// <param name="written">What was written, 0 to 1 in whole numbers.</param>
    /// <param name="texels">How many texels have it.</param>
    /// <param name="wasClipped">Whether it is not what was meant.</param>
    public void Count(double written, long texels, bool wasClipped)
    {
        least = Math.Min(least, written);
        most = Math.Max(most, written);
        clipped += wasClipped ? texels : 0;
    }

    /// <summary>Adds up what was written, in whole codes, so that no order of threads changes the sum.</summary>
    public void AddCodes(long sum) => codes += sum;

    /// <summary>Adds what another thread counted.</summary>
    public void Add(ChannelTally other)
    {
        lock (this)
        {
            least = Math.Min(least, other.least);
            most = Math.Max(most, other.most);
            clipped += other.clipped;
            codes += other.codes;
        }
    }

    /// <summary>The counts as they are told.</summary>
    /// <param name="from">The map that was used; null for none.</param>
    /// <param name="mixed">The map that was mixed in; null for none.</param>
    /// <param name="was">Size of the map where it was another; 0 where it was not.</param>
    /// <param name="picture">The picture that was written into.</param>
    public PackedChannel Channel(string? from, string? mixed, (int Width, int Height) was, Bitmap picture) =>
        new(from, mixed, least, most, clipped, was.Width, was.Height)
        {
            Mean = picture is Bitmap32 ? null : codes / (picture.Width * (double)picture.Height * ((1 << picture.Bits) - 1)),
        };
}
