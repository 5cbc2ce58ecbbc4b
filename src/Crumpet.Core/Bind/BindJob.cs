using Crumpet.Core.Jobs;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Bind;

/// <summary>The textures of a sheet, waiting to be bound.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Asset">What stands for <c>{asset}</c> in its file names.</param>
/// <param name="Textures">Its files.</param>
public sealed record BindSheet(string Sheet, string Asset, IReadOnlyList<BindTexture> Textures);

/// <summary>What binding depends on.</summary>
/// <param name="Pattern">Pattern by which names are read.</param>
/// <param name="Inputs">What the target's material takes.</param>
/// <param name="Sheets">Sheets with their textures.</param>
public sealed record BindSettings(string Pattern, IReadOnlyList<MaterialInput> Inputs, IReadOnlyList<BindSheet> Sheets);

/// <summary>Slots of one sheet's material.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Slots">Slots and what fills them.</param>
public sealed record SheetBinding(string Sheet, IReadOnlyList<SlotBinding> Slots);

/// <summary>What binding gave.</summary>
/// <param name="Sheets">One a sheet.</param>
public sealed record BindReport(IReadOnlyList<SheetBinding> Sheets);

/// <summary>Binds an asset's textures to material inputs by their names, to <c>bindings</c>.</summary>
public sealed class BindJob() : JobKind<BindSettings>("bind", 1)
{
    /// <inheritdoc/>
    public override string Words => "assets to bind";

    /// <inheritdoc/>
    protected override JobOutput Work(BindSettings settings, JobInputs inputs, JobContext context)
    {
        var bound = settings.Sheets.Select(s => (s.Sheet, Result: Binder.Bind(s.Asset, settings.Pattern, settings.Inputs, s.Textures))).ToArray();
        var report = new BindReport([.. bound.Select(b => new SheetBinding(b.Sheet, b.Result.Slots))]);
        return new JobOutput { Report = report, Findings = [.. bound.SelectMany(b => b.Result.Findings)] }.With("bindings", context.Write(report));
    }
}
