using System.Globalization;
using Crumpet.Core.Layout;

namespace Crumpet.Core.Building;

/// <summary>Says in words how two sets of decisions about UVs differ.</summary>
internal static class LayoutWords
{
    public static void Changes(LayoutSettings before, LayoutSettings after, List<string> said)
    {
        UnwrapSettings from = before.Unwrap, to = after.Unwrap;
        Say(before.Uvs, after.Uvs, v => v == UvSource.Keep ? "UVs kept as they came" : "UVs unwrapped anew");
        Say(before.Pack, after.Pack, v => v ? "Islands packed" : "Islands left where they lay");
        Say(before.KeepsPlaces, after.KeepsPlaces, v => v ? "UVs that came stay, new ones fitted in" : "UVs that came packed with the others");
        Say(before.PixelsPerMetre, after.PixelsPerMetre, v => v is { } density ? Invariant($"Density set to {density:0.##} px/m") : "No density of its own");
        Say(before.FillsTile, after.FillsTile, v => v ? "Density set to fill the tile" : "Density left to the kit");
        Say(before.SizePixels, after.SizePixels, v => v is { } size ? $"Islands laid for {size} px" : "Islands laid for the size they are baked at");
        if (before.Held.Count > 0 && after.Held.Count == 0)
            said.Add("Islands laid anew");
        Say(before.PaddingPixels, after.PaddingPixels, v => $"Padding between islands set to {v} px");
        Say(before.Rotation, after.Rotation, v =>
            v switch { PackRotation.Free => "Islands turned freely", PackRotation.Quarter => "Islands turned by quarters", _ => "Islands not turned" });
        Say(before.SlackPercent, after.SlackPercent, v => v > 0 ? Invariant($"Slack set to {v:0.##} %") : "Density made even");
        Say(before.StackEqual, after.StackEqual, v => v ? "Equal islands stacked" : "Equal islands laid apart");
        Say(before.Sheets, after.Sheets, v => v == SheetRule.Materials ? "A sheet a material" : "All parts laid together");
        Say(before.SheetCount, after.SheetCount, v => v == 1 ? "One sheet allowed" : $"{v} sheets allowed");
        Say(before.Draft, after.Draft, v => v == 0 ? "Layout searched in full" : "Layout kept as found so far");
        Say(from.HardEdges, to.HardEdges, v => v switch
        {
            HardEdgeRule.Cut => "Seams at all hard edges",
            HardEdgeRule.Free => "Seams at hard edges where they cost nothing",
            _ => "Hard edges as any other",
        });
        Say(from.CutForRoom, to.CutForRoom, v => v ? "Large islands cut for room" : "Large islands left whole");
        Say(from.CutMaterials, to.CutMaterials, v => v ? "Seams between materials" : "No seams between materials");
        Say(from.CutAngleDegrees, to.CutAngleDegrees, v => Invariant($"Seams at edges over {v:0.#}°"));
        Say(from.ConeDegrees, to.ConeDegrees, v => Invariant($"Cone of charts set to {v:0.#}°"));
        Say(from.StretchLimit, to.StretchLimit, v => Invariant($"Stretch limit set to {(v - 1) * 100:0.#} %"));
        Say(from.Straighten, to.Straighten, v => v ? "Grids straightened" : "Grids not straightened");
        Say(from.HideSeams, to.HideSeams, v => v ? "Seams hidden where possible" : "Seams kept short");
        Count(before.Seams.Except(after.Seams).Count(), after.Seams.Except(before.Seams).ToArray(), said);
        UvPin[] was = [.. before.Pins.Where(p => !p.Locks)], now = [.. after.Pins.Where(p => !p.Locks)];
        if (!was.SequenceEqual(now))
            said.Add(now.Length == 0 ? "Pins taken out" : now.Length == 1 ? "One pin set" : $"{now.Length} pins set");
        Chosen(before.UnwrapAt, after.UnwrapAt, "unwrapped anew", "kept as it came", said);
        // Two pins lock an island.
        Chosen(before.Pins.Where(p => p.Locks).Where((_, i) => i % 2 == 0), after.Pins.Where(p => p.Locks).Where((_, i) => i % 2 == 0), "locked", "unlocked",
            said);
        foreach (string part in before.Parts.Keys.Union(after.Parts.Keys).Order(StringComparer.Ordinal))
            Part(part, before.Parts.GetValueOrDefault(part) ?? new(), after.Parts.GetValueOrDefault(part) ?? new(), said);

        void Say<T>(T was, T now, Func<T, string> words)
        {
            if (!EqualityComparer<T>.Default.Equals(was, now))
                said.Add(words(now));
        }
    }

    private static void Count(int gone, SeamEdge[] added, List<string> said)
    {
        int cut = added.Count(s => s.IsCut), sewn = added.Length - cut;
        if (cut > 0)
            said.Add(cut == 1 ? "An edge cut" : $"{cut} edges cut");
        if (sewn > 0)
            said.Add(sewn == 1 ? "An edge sewn up" : $"{sewn} edges sewn up");
        if (added.Length == 0 && gone > 0)
            said.Add(gone == 1 ? "An edge left to the rules" : $"{gone} edges left to the rules");
    }

    private static void Chosen<T>(IEnumerable<T> before, IEnumerable<T> after, string added, string gone, List<string> said)
    {
        int more = after.Except(before).Count(), less = before.Except(after).Count();
        if (more > 0)
            said.Add(more == 1 ? $"An island {added}" : $"{more} islands {added}");
        if (less > 0)
            said.Add(less == 1 ? $"An island {gone}" : $"{less} islands {gone}");
    }

    private static void Part(string part, PartLayout was, PartLayout now, List<string> said)
    {
        if (was.Uvs != now.Uvs)
            said.Add(now.Uvs switch { UvSource.Keep => $"UVs of {part} kept", UvSource.Unwrap => $"{part} unwrapped", _ => $"UVs of {part} as in the asset" });
        if (was.Weight != now.Weight)
            said.Add(now.Weight is { } weight ? Invariant($"Density of {part} × {weight:0.##}") : $"Density of {part} as the others");
        if (was.Sheet != now.Sheet)
            said.Add(now.Sheet is { } sheet ? $"{part} put on sheet {sheet + 1}" : $"Sheet of {part} left to the packer");
    }

    private static string Invariant(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);
}
