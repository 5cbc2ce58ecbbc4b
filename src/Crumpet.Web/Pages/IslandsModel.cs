using System.Text.Json;
using Crumpet.Core.Building;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;

namespace Crumpet.Web.Pages;

/// <summary>What the UV canvas of a page shows.</summary>
/// <param name="View">The asset.</param>
public sealed record IslandsModel(AssetView View)
{
    /// <summary>Whether there are islands to show.</summary>
    public bool HasIslands => View.Url(Station.Layout, "islands.view") is not null;

    /// <summary>Sheets parts can be put on; none where each material has its own.</summary>
    public int SheetCount => View.Plan.Layout.Sheets == SheetRule.Together && View.Plan.Layout.SheetCount > 1 ? View.Plan.Layout.SheetCount : 0;

    /// <summary>Maps that can lie beneath, by name.</summary>
    public IReadOnlyDictionary<string, string> Maps { get; } = (View.Report<BakeReport>(Station.Bake)?.Sheets ?? [])
        .SelectMany(s => s.Maps.Select(m => (Name: $"{s.Sheet} {m.Key}", Url: View.Url(Station.Bake, m.Value)))).Where(m => m.Url is not null)
            .ToDictionary(m => m.Name, m => m.Url!);

    /// <summary>All that the canvas's script needs to know, as JSON.</summary>
    public string Config() => JsonSerializer.Serialize(
        new
        {
            View = View.Url(Station.Layout, "islands.view"),
            Maps,
            Pins = View.Plan.Layout.Pins.Where(p => !p.Locks).Select(p => new { on = p.ObjectName, p.U, p.V }),
            Trays = View.Report<PairReport>(Station.Pairs)?.Paired.GroupBy(p => p.Name).ToDictionary(g => g.Key, g => g.First().Tray) ?? [],
        },
        BuildJson.Options);
}
