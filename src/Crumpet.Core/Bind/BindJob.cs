using Crumpet.Core.Geometry;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Bind;

/// <summary>A sheet whose textures wait to be bound.</summary>
/// <param name="Sheet">Name of the sheet, which is its material's.</param>
/// <param name="Asset">What stands for <c>{asset}</c> in its file names.</param>
/// <param name="Material">Number of the scene's material it looks like; -1 for none.</param>
/// <param name="Textures">Its files.</param>
public sealed record BindSheet(string Sheet, string Asset, int Material, IReadOnlyList<BindTexture> Textures)
{
    /// <summary>What was decided about its material.</summary>
    public MaterialPlan Plan { get; init; } = new();
}

/// <summary>What binding depends on beside materials.</summary>
/// <param name="Rules">What names are read by, and what the target takes.</param>
/// <param name="Sheets">Sheets with their textures.</param>
public sealed record BindSettings(BindRules Rules, IReadOnlyList<BindSheet> Sheets);

/// <summary>Binds an asset's textures to material inputs by their names: <c>materials</c> to <c>bindings</c>.</summary>
public sealed class BindJob() : JobKind<BindSettings>("bind", 3)
{
    /// <inheritdoc/>
    public override string Words => "assets to bind";

    /// <inheritdoc/>
    protected override JobOutput Work(BindSettings settings, JobInputs inputs, JobContext context)
    {
        var materials = SceneFile.Read(inputs.Bytes("materials")).Materials;
        var sheets = settings.Sheets.Select(s => Binder.Bind(settings.Rules,
            [
                new BindMaterial(s.Sheet, [s.Asset])
                {
                    Model = s.Plan.Model,
                    ByHand = s.Plan.ByHand,
                    Traits = s.Plan.Over(s.Material < 0 ? MaterialTraits.Plain : materials[s.Material].Traits),
                },
            ], s.Textures)).ToArray();
        // What one sheet does not read is no other's.
        var report = new BindReport([.. sheets.SelectMany(s => s.Materials)], [.. sheets.SelectMany(s => s.Unread)]);
        return new JobOutput { Report = report }.With("bindings", context.Write(report));
    }
}
