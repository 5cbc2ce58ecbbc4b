using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;

namespace Crumpet.Web;

/// <summary>Something that was looked for.</summary>
/// <param name="Kind">kit, asset, part, output or finding.</param>
/// <param name="Name">What it is called.</param>
/// <param name="Where">Where it belongs.</param>
/// <param name="Address">Where it is shown.</param>
/// <param name="Severity">Of a finding.</param>
public sealed record Found(string Kind, string Name, string Where, string Address, Severity? Severity = null);

/// <summary>Looks through kits, assets, parts, outputs and findings.</summary>
public sealed class Finder(Workbench workbench)
{
    /// <summary>What contains every word of the query, case ignored; names that begin with it first.</summary>
    public async Task<IReadOnlyList<Found>> FindAsync(string? query, int mostOfAKind)
    {
        string[] words = (query ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (words.Length == 0)
            return [];
        var all = new List<Found>();
        all.AddRange((await workbench.KitsAsync())
            .Select(k => new Found("kit", k.Name, Show.Many(k.Assets.Count(a => a.ArchivedAt is null), "asset"), $"/kits/{k.Id}")));
        foreach (var view in await workbench.AssetsAsync())
        {
            string name = view.Asset.Name, at = $"/assets/{view.Asset.Id}";
            all.Add(new Found("asset", name, view.Asset.Kit!.Name, $"{at}/{view.FirstUnfinished.Word}"));
            all.AddRange((view.Intake?.Objects ?? []).Where(o => o.Side != Side.Unknown).Select(o => o.Part).Distinct(StringComparer.Ordinal)
                .Select(p => new Found("part", p, name, $"{at}/pairs?place={Uri.EscapeDataString(p)}")));
            all.AddRange((view.Report<PackReport>(Station.Pack)?.Pictures ?? [])
                .Select(p => new Found("output", p.File, name, $"{at}/pack?map={Uri.EscapeDataString($"pack/{p.File}")}")));
            all.AddRange((view.Report<ConvertReport>(Station.Convert)?.Textures ?? [])
                .Select(t => new Found("output", t.File, name, $"{at}/convert?map={Uri.EscapeDataString($"convert/{t.File}")}")));
            all.AddRange(view.AllFindings().Select(f =>
                new Found("finding", f.Finding.Sentence, $"{name}, {f.Station}", $"{at}/{f.Station.Word}?place={Uri.EscapeDataString(f.Finding.Place)}",
                f.Finding.Severity)));
        }
        return [.. all.Where(f => words.All(w => f.Name.Contains(w, StringComparison.OrdinalIgnoreCase)))
            .OrderBy(f => f.Name.StartsWith(words[0], StringComparison.OrdinalIgnoreCase) ? 0 : 1)
            .GroupBy(f => f.Kind).OrderBy(g => Array.IndexOf(Kinds, g.Key)).SelectMany(g => g.Take(mostOfAKind))];
    }

    private static readonly string[] Kinds = ["kit", "asset", "part", "output", "finding"];

}
