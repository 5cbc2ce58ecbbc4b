using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Pairs;

/// <summary>What contacts depend on beside shapes and rays.</summary>
/// <param name="Parts">Reaches of each part.</param>
public sealed record ContactsSettings(IReadOnlyList<ReachSettings> Parts);

/// <summary>Finds which parts come near each other: for part P shapes <c>low/P/K</c>, <c>high/P/K</c> and <c>rays/P</c> to <c>contacts</c>.</summary>
public sealed class ContactsJob() : JobKind<ContactsSettings>("contacts", 1)
{
    /// <inheritdoc/>
    public override string Words => "contact maps to measure";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.1;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(ContactsSettings settings, IReadOnlyList<StoredFile> inputs) => 0.1 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(ContactsSettings settings, JobInputs inputs, JobContext context)
    {
        var parts = settings.Parts.Select((reach, p) => new ContactPart(inputs.Shapes($"low/{p}"), inputs.Shapes($"high/{p}"), reach.OutwardReachMetres,
            reach.InwardReachMetres)
        {
            Rays = RaysFile.InOrder(inputs.Value($"rays/{p}", RaysFile.Read)),
            HighTree = PairTrees.High(inputs, $"high/{p}"),
        }).ToArray();
        return new JobOutput().With("contacts", context.Write(ContactFinder.Find(parts, context.Threads, context.Progress, context.Cancel)));
    }
}

/// <summary>What suggestions depend on beside the shapes.</summary>
/// <param name="Pattern">Pattern by which names are read.</param>
/// <param name="Names">How names say sides.</param>
/// <param name="Rows">Rows of the ledger.</param>
/// <param name="ReachMetres">How far apart surfaces still lie on each other, metres; null goes by their size.</param>
public sealed record SuggestSettings(string Pattern, NameRules Names, IReadOnlyList<PartRow> Rows, float? ReachMetres);

/// <summary>Proposes other sides for what has none: <c>objects</c> and all <c>shape/K</c> to <c>suggestions</c>.</summary>
public sealed class SuggestJob() : JobKind<SuggestSettings>("suggest", 3)
{
    /// <inheritdoc/>
    public override string Words => "other sides to look for";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.1;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(SuggestSettings settings, IReadOnlyList<StoredFile> inputs) => 0.1 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(SuggestSettings settings, JobInputs inputs, JobContext context)
    {
        var match = new MatchInput(context.Read<ObjectReport[]>(inputs.Bytes("objects")), NameReader.Create(settings.Pattern, settings.Names));
        return new JobOutput().With("suggestions",
            context.Write(Suggester.Suggest(match, inputs.Shapes("shape"), settings.Rows, settings.ReachMetres, context.Threads, context.Cancel)));
    }
}
