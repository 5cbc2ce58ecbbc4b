using System.Numerics;
using System.Runtime.InteropServices;
using Crumpet.Core.Geometry;
using Crumpet.Core.Jobs;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Where a part's rays lie, beside its low objects.</summary>
/// <param name="Min">Smallest corner of the box of all cage starts, metres; null without a cage.</param>
/// <param name="Max">Largest corner.</param>
/// <param name="InwardMetres">Greatest distance that rays go on below the surface, metres.</param>
public sealed record RaysRoom(float[]? Min, float[]? Max, float InwardMetres)
{
    /// <summary>How far outside and inside the low surface the part looks.</summary>
    public ReachSettings Reach { get; init; } = new(0, 0);

    /// <summary>Box of all cage starts; empty without a cage.</summary>
    public Bounds Starts => Min is null || Max is null ? Bounds.Empty : new(new(Min), new(Max));

    /// <summary>The room of some rays.</summary>
    public static RaysRoom Of(IReadOnlyList<LowRays> rays)
    {
        var box = Bounds.Empty;
        float inward = 0;
        foreach (var own in rays)
        {
            foreach (var start in own.Cage ?? [])
                box = box.Including(start);
            foreach (float end in own.Inward)
                inward = MathF.Max(inward, end);
        }
        return box.IsEmpty ? new RaysRoom(null, null, inward) : new RaysRoom([box.Min.X, box.Min.Y, box.Min.Z], [box.Max.X, box.Max.Y, box.Max.Z], inward);
    }
}

/// <summary>
/// Works out where a part's rays come from: shapes <c>low/K</c>, <c>high/K</c>, <c>cage/K</c> to <c>rays</c>, <c>outside</c> and
/// <c>cage</c>.
/// </summary>
public sealed class RaysJob() : JobKind<RaysSettings>("rays", 4)
{
    /// <inheritdoc/>
    public override string Words => "cages to shape";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.1;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => inputs.Megabytes() > 1;

    /// <inheritdoc/>
    protected override double Cost(RaysSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(RaysSettings settings, JobInputs inputs, JobContext context)
    {
        var answer = PartRays.Build(settings, inputs.Shapes("low"), PairTrees.High(inputs, "high"), inputs.Shapes("cage"), context.Threads, context.Cancel);
        return new JobOutput { Report = RaysRoom.Of(answer.Rays) with { Reach = answer.Report.Reach } }
            .With("rays", RaysFile.Write(answer.Rays.Select((r, i) => (r, i)).ToDictionary(p => p.i, p => p.r)))
            .With("outside", MemoryMarshal.AsBytes<Vector3>(answer.Outside).ToArray())
            .With("cage", context.Write(answer.Report));
    }
}

/// <summary>How far outside and inside the low surface a part looks.</summary>
/// <param name="OutwardReachMetres">Outward reach, metres.</param>
/// <param name="InwardReachMetres">Inward reach, metres.</param>
public sealed record ReachSettings(float OutwardReachMetres, float InwardReachMetres);

/// <summary>Measures how the two sides of a part lie on each other: shapes <c>low/K</c>, <c>high/K</c> to <c>fit</c>.</summary>
public sealed class FitJob() : JobKind<ReachSettings>("fit", 2)
{
    /// <inheritdoc/>
    public override string Words => "pairs to measure";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.05;

    /// <inheritdoc/>
    protected override double Cost(ReachSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(ReachSettings settings, JobInputs inputs, JobContext context) => new JobOutput().With(
        "fit", context.Write(FitMeasure.Of(inputs.Shapes("low"), PairTrees.High(inputs, "high"), settings)));
}

/// <summary>Hierarchies of parts' high sides, built once for all jobs that ask.</summary>
internal static class PairTrees
{
    /// <summary>The hierarchy of a list of shapes.</summary>
    public static SurfaceTree High(JobInputs inputs, string list)
    {
        string[] roles = inputs.List(list);
        return inputs.Made("tree", roles, 3 * roles.Sum(r => inputs[r].Bytes), () => SurfaceTree.Build([.. roles.Select(inputs.Shape)]));
    }
}
