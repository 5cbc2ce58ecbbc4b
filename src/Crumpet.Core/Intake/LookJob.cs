using Crumpet.Core.Jobs;

namespace Crumpet.Core.Intake;

/// <summary>What looking at a picture depends on beside its bytes.</summary>
/// <param name="Ending">Ending of its name, which tells the format where the bytes do not.</param>
public sealed record LookSettings(string Ending);

/// <summary>Looks at one picture: <c>file</c> to <c>look</c>, or to <c>problem</c>.</summary>
public sealed class LookJob() : JobKind<LookSettings>("look", 1)
{
    /// <inheritdoc/>
    public override string Words => "pictures to look at";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.05;

    /// <inheritdoc/>
    protected override double Cost(LookSettings settings, IReadOnlyList<StoredFile> inputs) => 0.1 + inputs.Sum(i => i.Bytes) / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(LookSettings settings, JobInputs inputs, JobContext context)
    {
        try
        {
            return new JobOutput().With("look", context.Write(PictureFacts.Read(inputs.Bytes("file"), "picture" + settings.Ending, context.Cancel)));
        }
        catch (SourceFileException e)
        {
            return new JobOutput().With(ReadProblem.Role, context.Write(ReadProblem.Of(e)));
        }
    }
}
