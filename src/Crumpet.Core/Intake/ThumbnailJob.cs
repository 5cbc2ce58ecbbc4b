using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Intake;

/// <summary>What a small picture of objects depends on beside their shapes.</summary>
/// <param name="Side">Its side, pixels.</param>
public sealed record ThumbnailSettings(int Side);

/// <summary>Draws objects small: <c>shape/K</c> to <c>picture</c>, a PNG.</summary>
public sealed class ThumbnailJob() : JobKind<ThumbnailSettings>("thumbnail", 1)
{
    /// <inheritdoc/>
    public override string Words => "thumbnails to draw";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.02;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => inputs.Megabytes() > 4;

    /// <inheritdoc/>
    protected override double Cost(ThumbnailSettings settings, IReadOnlyList<StoredFile> inputs) => 0.2 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(ThumbnailSettings settings, JobInputs inputs, JobContext context) =>
        new JobOutput().With("picture", ImageFile.WritePng(Thumbnail.Draw(inputs.Shapes("shape"), settings.Side, context.Threads, context.Cancel)));
}
