using Crumpet.Core.Intake;

namespace Crumpet.Core.Building;

/// <summary>Names of the materials of a low side, before its sheets are known.</summary>
public static class LowMaterials
{
    /// <summary>The names they have where each has a sheet; the asset's where it has none.</summary>
    /// <param name="intake">What arrived.</param>
    /// <param name="asset">Name the asset's files begin with.</param>
    public static IReadOnlyList<string> Of(IntakeReport intake, string asset)
    {
        var own = intake.Objects.Where(o => o.Side == Side.Low).SelectMany(o => o.MaterialNumbers).Where(m => m >= 0).Distinct().Order();
        string[] names = [.. own.Select(m => LayoutExpansion.SafeName(intake.Materials[m].Name)).Distinct(StringComparer.Ordinal)];
        return names.Length == 0 ? [asset] : names;
    }
}
