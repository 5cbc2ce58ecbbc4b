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
/// <param name="Unbound">Files that fill no slot.</param>
public sealed record SheetBinding(string Sheet, IReadOnlyList<SlotBinding> Slots, IReadOnlyList<string> Unbound);

/// <summary>What binding gave.</summary>
/// <param name="Sheets">One a sheet.</param>
public sealed record BindReport(IReadOnlyList<SheetBinding> Sheets);

/// <summary>Binds an asset's textures to material inputs by their names, to <c>bindings</c>.</summary>
public sealed class BindJob() : JobKind<BindSettings>("bind", 2)
{
    /// <inheritdoc/>
    public override string Words => "assets to bind";

    /// <inheritdoc/>
    protected override JobOutput Work(BindSettings settings, JobInputs inputs, JobContext context)
    {
        var report = new BindReport([.. settings.Sheets.Select(s =>
        {
            var slots = Binder.Bind(s.Asset, settings.Pattern, settings.Inputs, s.Textures);
            return new SheetBinding(s.Sheet, slots, [.. s.Textures.Select(t => t.File).Where(file => slots.All(b => b.File != file))]);
        })]);
        return new JobOutput { Report = report }.With("bindings", context.Write(report));
    }
}
