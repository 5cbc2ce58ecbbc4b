namespace Crumpet.Core.Bind;

/// <summary>What is wrong with an asset's bindings.</summary>
public static class BindFindings
{
    /// <summary>One finding for each slot without a file and each file without a slot.</summary>
    /// <param name="report">What binding gave.</param>
    public static IEnumerable<Finding> Of(BindReport report) => report.Sheets.SelectMany(sheet => sheet.Slots.Where(s => s.Gap != SlotGap.None)
        .Select(s => new Finding(Severity.Warn, "slot-empty", s.Slot.Name, $"The slot {s.Slot.Name} is empty: {Reason(s)}"))
        .Concat(sheet.Unbound.Select(file => new Finding(Severity.Note, "texture-unbound", file, $"{file} fills no slot; it is delivered unbound."))));

    /// <summary>Why a slot is empty and what to do, one sentence; empty where it is not.</summary>
    public static string Reason(SlotBinding slot) => slot.Gap switch
    {
        SlotGap.NoFile => $"no file is named {slot.Wanted}; add an output named {slot.Slot.Map} to the recipe.",
        SlotGap.OtherCase => $"{slot.Near!.File} differs from {slot.Wanted} only in upper and lower case; rename it.",
        SlotGap.OtherMeaning =>
            $"{slot.Near!.File} is flagged as {slot.Near.Meaning.ToString().ToLowerInvariant()}, the slot wants "
            + $"{slot.Slot.Meaning.ToString().ToLowerInvariant()}; change the output's meaning.",
        _ => "",
    };
}
