using Crumpet.Core.Geometry;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Intake;

/// <summary>An object on the stage.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Part">Its part.</param>
/// <param name="PartCentre">Middle of all of the part's objects, metres.</param>
public sealed record StageObject(string Name, string Part, float[] PartCentre);

/// <summary>A sheet shown as a material.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Material">Number of the scene's material it looks like; -1 for none.</param>
public sealed record StageSheet(string Name, int Material);

/// <summary>What a preview of the stage depends on beside the meshes.</summary>
/// <param name="Objects">Objects, in the order of the inputs.</param>
/// <param name="Min">Smallest corner of the asset's box, metres.</param>
/// <param name="Max">Largest corner.</param>
/// <param name="IsBakedOnto">Whether UVs and edges are shown.</param>
/// <param name="Sheets">Sheets that stand in for materials; null to show materials.</param>
public sealed record StageSettings(IReadOnlyList<StageObject> Objects, float[] Min, float[] Max, bool IsBakedOnto, IReadOnlyList<StageSheet>? Sheets);

/// <summary>
/// Prepares objects of one side for the 3D stage: <c>shape/K</c>, <c>spread/K</c>, <c>materials</c> and where there is one <c>laid/K</c> to
/// <c>preview</c>.
/// </summary>
public sealed class StageJob() : JobKind<StageSettings>("stage", 1)
{
    /// <inheritdoc/>
    public override string Words => "stages to prepare";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.03;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => inputs.Megabytes() > 2;

    /// <inheritdoc/>
    protected override double Cost(StageSettings settings, IReadOnlyList<StoredFile> inputs) => 0.1 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(StageSettings settings, JobInputs inputs, JobContext context)
    {
        var materials = SceneFile.Read(inputs.Bytes("materials")).Materials;
        var objects = settings.Objects.Select((o, k) =>
        {
            var mesh = inputs.Mesh($"shape/{k}", $"spread/{k}") with { Name = o.Name };
            if (inputs.Find($"laid/{k}") is not null)
            {
                var laid = mesh.WithLaid(inputs.Bytes($"laid/{k}"));
                mesh = settings.Sheets is null ? laid with { TriangleMaterials = mesh.TriangleMaterials } : laid;
            }
            return new PreviewObject(mesh, o.Part, new(o.PartCentre));
        }).ToArray();
        IReadOnlyList<Material> shown = settings.Sheets is null ? materials
            : [.. settings.Sheets.Select(s => (s.Material < 0 ? Material.Plain : materials[s.Material]) with { Name = s.Name })];
        return new JobOutput().With("preview",
            StagePreview.Write(objects, shown, new Bounds(new(settings.Min), new(settings.Max)), settings.IsBakedOnto, context.Threads, context.Cancel));
    }
}
