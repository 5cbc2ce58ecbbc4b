using System.Globalization;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>Says in words how two sets of decisions about parts and trays differ.</summary>
internal static class PairWords
{
    public static void Changes(PairSettings before, PairSettings after, List<string> said)
    {
        foreach (var group in after.TrayByHand.Where(t => !before.TrayByHand.TryGetValue(t.Key, out int was) || was != t.Value).GroupBy(t => t.Value)
            .OrderBy(g => g.Key))
            said.Add($"{Names([.. group.Select(t => t.Key)])} put on tray {group.Key + 1}");
        string[] freed = [.. before.TrayByHand.Keys.Where(k => !after.TrayByHand.ContainsKey(k))];
        if (freed.Length > 0)
            said.Add($"Tray of {Names(freed)} left to the plan");
        foreach (var tie in after.Ties.Where(t => !before.Ties.Contains(t)))
            said.Add($"{tie.One} and {tie.Two} kept {(tie.Together ? "together" : "apart")}");
        foreach (var tie in before.Ties.Where(t => !after.Ties.Contains(t)))
            said.Add($"{tie.One} and {tie.Two} no longer kept {(tie.Together ? "together" : "apart")}");
        foreach (string part in before.Parts.Keys.Union(after.Parts.Keys).Order(StringComparer.Ordinal))
        {
            PartSettings was = before.Parts.GetValueOrDefault(part) ?? new(), now = after.Parts.GetValueOrDefault(part) ?? new();
            Reach(part, was.OutwardReachMetres, now.OutwardReachMetres, "Outward", said);
            Reach(part, was.InwardReachMetres, now.InwardReachMetres, "Inward", said);
            if (was.Sees != now.Sees)
                said.Add(now.Sees is { } sees
                    ? $"{part} occluded by {(sees == Occluders.Asset ? "the whole asset" : sees == Occluders.Tray ? "its tray" : "itself alone")}"
                    : $"Occlusion of {part} as on its tray");
        }
        foreach (string part in before.Parts.Keys.Union(after.Parts.Keys).Order(StringComparer.Ordinal))
        {
            PartSettings was = before.Parts.GetValueOrDefault(part) ?? new(), now = after.Parts.GetValueOrDefault(part) ?? new();
            if (was.Cage != now.Cage)
                said.Add(now.Cage is { } cage ? $"Cage of {part} {Word(cage)}" : $"Cage of {part} as in the asset");
            if (was.Direction != now.Direction)
                said.Add(now.Direction is { } direction ? $"Rays of {part} {direction.ToString().ToLowerInvariant()}" : $"Rays of {part} as in the asset");
        }
        if (before.Cage != after.Cage)
            said.Add($"Cages {Word(after.Cage)}");
        if (before.CageMarginMetres != after.CageMarginMetres)
            said.Add($"Margin of cages set to {Lengths.Millimetres(after.CageMarginMetres)}");
        if (before.Direction != after.Direction)
            said.Add($"Rays {after.Direction.ToString().ToLowerInvariant()}");
        if (before.Blend != after.Blend)
            said.Add(string.Create(CultureInfo.InvariantCulture, $"Rays blended {after.Blend * 100:0} % towards shading normals"));
        if (after.Strokes.Count > before.Strokes.Count)
            said.AddRange(after.Strokes.Skip(before.Strokes.Count).Select(Stroke));
        else if (after.Strokes.Count < before.Strokes.Count)
            said.Add($"{before.Strokes.Count - after.Strokes.Count} brush strokes taken away");
        foreach (int tray in before.Trays.Keys.Union(after.Trays.Keys).Order())
        {
            TraySettings was = before.Trays.GetValueOrDefault(tray) ?? new(), now = after.Trays.GetValueOrDefault(tray) ?? new();
            Reach($"tray {tray + 1}", was.OutwardReachMetres, now.OutwardReachMetres, "Outward", said);
            Reach($"tray {tray + 1}", was.InwardReachMetres, now.InwardReachMetres, "Inward", said);
            if (was.OthersOcclude != now.OthersOcclude)
                said.Add(now.OthersOcclude is { } others ? $"Tray {tray + 1} {(others ? "lets" : "does not let")} others cast occlusion on it"
                    : $"Occlusion of tray {tray + 1} as in the asset");
        }
    }

    private static string Word(CageKind kind) =>
        kind switch { CageKind.Fitted => "fitted", CageKind.File => "taken from the cage objects", _ => "at the outward reach" };

    private static string Stroke(BrushStroke s) => s.Kind == BrushKind.Cage
        ? string.Create(CultureInfo.InvariantCulture,
            $"Cage of {s.Part} {(s.Amount < 0 ? "lowered" : "raised")} by {Lengths.Millimetres(MathF.Abs(s.Amount))} with the brush")
        : $"Rays of {s.Part} {(s.Amount < 0 ? "smoothed" : "straightened")} with the brush";

    private static void Reach(string of, float? was, float? now, string which, List<string> said)
    {
        if (was != now)
            said.Add(now is { } metres ? string.Create(CultureInfo.InvariantCulture, $"{which} reach of {of} set to {Lengths.Millimetres(metres)}")
                : $"{which} reach of {of} as in the asset");
    }

    private static string Names(string[] names) => names.Length <= 3 ? string.Join(", ", names.Order(StringComparer.Ordinal)) : $"{names.Length} parts";
}
