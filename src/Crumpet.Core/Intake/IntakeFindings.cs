namespace Crumpet.Core.Intake;

/// <summary>Everything Intake says of what arrived.</summary>
internal static class IntakeFindings
{
    /// <summary>All findings, worst first.</summary>
    /// <param name="report">What the station reports.</param>
    /// <param name="facts">What was measured beside it.</param>
    /// <param name="settings">What was decided.</param>
    public static IReadOnlyList<Finding> Of(IntakeReport report, IntakeFacts facts, IntakeMeasures settings)
    {
        var look = new IntakeLook(report, facts, settings);
        return Finding.Sorted(
        [
            .. Files(look), .. FarFindings.Of(look), .. SpaceFindings.Of(look), .. NameFindings.Of(look), .. SurfaceFindings.Of(look),
                .. MaterialFindings.Of(look), .. UvFindings.Of(look), .. LevelFindings.Of(look),
            .. TextureFindings.Of(look), .. WithoutTarget(look),
        ]);
    }

    private static IEnumerable<Finding> Files(IntakeLook look) =>
    [
        .. look.Settings.Files.Where(f => !MeshFiles.IsMesh(f) && !MeshFiles.IsPicture(f) && !MeshFiles.IsCompanion(f)).Select(f =>
            new Finding(Severity.Note, "file-not-read", f,
                $"{f} is neither a mesh nor a picture that is read; leave it out, or export it as {string.Join(", ", MeshFiles.Endings)}.", 1)),
        .. look.Facts.Unread.Select(f => new Finding(Severity.Stop, "unreadable-file", f.File, f.Message, 1)),
        .. look.Facts.Notes,
    ];

    /// <summary>Decisions that no longer fit what is there are kept and said.</summary>
    private static IEnumerable<Finding> WithoutTarget(IntakeLook look)
    {
        int kits = look.Settings.Rules.Mends.Count;
        // A kit's rule need not concern every asset.
        foreach (var mend in look.Report.Mends.Where(m => m is { IsKitRule: false, IsOn: true, Changed: 0 }
            && look.Facts.Refused.All(r => r.Mend != kits + m.Number)))
        {
            bool pointless = look.Settings.Mends[mend.Number] is IntakeMend { Objects.Count: 0, File: "*" };
            yield return new Finding(
                pointless ? Severity.Note : Severity.Warn, "mend-without-target", mend.Words,
                $"The mend '{mend.Words}' finds nothing to change in the present files; it is kept, switch it off or take it away if it is no longer meant.");
        }
    }
}
