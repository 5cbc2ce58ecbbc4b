namespace Crumpet.Core.Layout;

/// <summary>
/// How far a layout is, so that what is told grows about as time does: its parts count as long as they take for so many triangles. What is
/// told is never less than before.
/// </summary>
internal sealed class LayoutProgress
{
    // Seconds, on two cores: only their proportions matter.
    private const double ToBegin = 0.15, ToUnwrap = 1.4e-4, ToBeginCuts = 6, ToCut = 6e-5, ToPack = 4.5, ToPackDraft = 1.5;
    private const double UntilMeasured = 0.97;

    private readonly IProgress<Progress>? to;
    private readonly double unwrapped, cut, uncut;
    private bool wasCut;
    private readonly Lock gate = new();
    private double most;

    /// <summary>Prepares.</summary>
    /// <param name="to">Told what is told here.</param>
    /// <param name="triangles">How many triangles are unwrapped.</param>
    /// <param name="cutsForRoom">Whether large islands may be cut.</param>
    /// <param name="isDraft">Whether packing is cut short.</param>
    public LayoutProgress(IProgress<Progress>? to, int triangles, bool cutsForRoom, bool isDraft)
    {
        this.to = to;
        double pack = isDraft ? ToPackDraft : ToPack, unwrap = ToBegin + ToUnwrap * triangles, room = cutsForRoom ? ToBeginCuts + ToCut * triangles : 0;
        double all = (unwrap + room + pack) / UntilMeasured;
        (unwrapped, cut, uncut) = (unwrap / all, (unwrap + room) / all, unwrap / (unwrap + pack) * UntilMeasured);
    }

    /// <summary>Tells how much of the surface is flat, 0 to 1.</summary>
    public void Unwrapped(double share) => Tell(unwrapped * share, "laying charts flat");

    /// <summary>Tells how many of the cuts for room were tried, 0 to 1.</summary>
    public void Cut(double share)
    {
        wasCut = true;
        Tell(unwrapped + (cut - unwrapped) * share, "cutting what would waste room");
    }

    /// <summary>Tells how far packing is, 0 to 1.</summary>
    public void Packed(double share)
    {
        double from = wasCut ? cut : uncut;
        Tell(from + (UntilMeasured - from) * share, "packing");
    }

    /// <summary>Tells that only measuring is left.</summary>
    public void Measuring() => Tell(UntilMeasured, "measuring");

    private void Tell(double fraction, string doing)
    {
        lock (gate)
        {
            most = Math.Max(most, fraction);
            to?.Report(new Progress(most, doing));
        }
    }
}
