namespace Crumpet.Core.Pack;

/// <summary>What was written into a channel.</summary>
internal sealed class ChannelTally
{
    private double least = double.PositiveInfinity, most = double.NegativeInfinity;
    private long clipped;

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

    /// <summary>Adds what another thread counted.</summary>
    public void Add(ChannelTally other)
    {
        lock (this)
        {
            least = Math.Min(least, other.least);
            most = Math.Max(most, other.most);
            clipped += other.clipped;
        }
    }

    /// <summary>The counts as they are told.</summary>
    public PackedChannel Channel(string? from, string? mixed, (int Width, int Height) was) =>
        new(from, mixed, least, most, clipped, was.Width, was.Height);
}
