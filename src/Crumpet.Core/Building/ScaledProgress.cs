namespace Crumpet.Core.Building;

/// <summary>Passes progress on as a share of something longer.</summary>
/// <param name="to">Receives it.</param>
/// <param name="from">Where the share begins, 0 to 1.</param>
/// <param name="share">How long it is.</param>
/// <param name="prefix">What is put before what is being done.</param>
internal sealed class ScaledProgress(IProgress<Progress> to, double from, double share, string prefix = "") : IProgress<Progress>
{
    /// <inheritdoc/>
    public void Report(Progress value) => to.Report(new Progress(from + share * value.Fraction, prefix + value.Doing));
}
