using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;

namespace Crumpet.Core.Building;

/// <summary>The jobs of Layout.</summary>
internal static class LayoutExpansion
{
    /// <summary>Numbers of the low objects in the scene.</summary>
    public static int[] LowNumbers(AssetGraph graph) =>
        [.. Enumerable.Range(0, graph.Intake!.Objects.Count).Where(i => graph.Intake.Objects[i].Side == Side.Low)];

    /// <summary>What is decided about UVs, with what the kit says where the asset does not.</summary>
    public static LayoutSettings SettingsOf(GraphInput input)
    {
        // The size is told apart, so that islands know it however it was said.
        var layout = input.Plan.Layout with { SizePixels = null };
        return layout.PixelsPerMetre is null && !layout.FillsTile && input.Rules.PixelsPerMetre is { } density
            ? layout with { PixelsPerMetre = density } : layout;
    }

    /// <summary>Lists them.</summary>
    /// <returns>Whether all could be listed.</returns>
    public static bool Add(AssetGraph graph)
    {
        var (plan, scene, rows) = (graph.Input.Plan, graph.TakenIn!, graph.Intake!.Objects);
        int[] low = LowNumbers(graph);
        graph.Layout = graph.Add(
            Station.Layout, JobKinds.Layout, "",
                new LayoutJobSettings(SettingsOf(graph.Input), plan.LaidSize, [.. low.Select(i => new LaidObject(rows[i].Name, rows[i].Part))]),
            low.SelectMany((o, k) => new[] { ($"shape/{k}", scene[$"shape/{o}"]), ($"spread/{k}", scene[$"spread/{o}"]) }));
        if (graph.Laid is not { } laid)
            return false;
        if (graph.Intake.Objects.Count == 0)
            graph.Sheets = BroughtTextures.Sets(graph);
        if (low.Length == 0)
            return true;
        graph.Sheets = SheetsOf(graph, laid);
        var sheets = ShowsSheets(graph, laid) ? graph.Sheets.Select(s => new StageSheet(s.Name, s.MainMaterial)).ToArray() : null;
        graph.LowStage = graph.Add(
            Station.Layout, JobKinds.Stage, "low, laid out", IntakeExpansion.StageOf(rows, low, true, sheets),
            low.SelectMany((o, k) =>
                new[] { ($"shape/{k}", scene[$"shape/{o}"]), ($"spread/{k}", scene[$"spread/{o}"]), ($"laid/{k}", graph.Layout[$"laid/{k}"]) })
                .Append(("materials", scene["materials"])));
        return true;
    }

    /// <summary>Whether sheets stand in for materials on the stage, as each holds several.</summary>
    public static bool ShowsSheets(AssetGraph graph, LaidReport laid) => graph.Input.Plan.Layout.Sheets == SheetRule.Together && laid.Layout.Sheets.Count > 1;

    private static LaidSheet[] SheetsOf(AssetGraph graph, LaidReport laid)
    {
        bool together = ShowsSheets(graph, laid);
        var materials = graph.Intake!.Materials;
        var sheets = new LaidSheet[laid.Layout.Sheets.Count];
        var names = new SheetNames(graph.Input);
        for (int i = 0; i < sheets.Length; i++)
        {
            var shares = laid.Materials[i];
            int main = shares.Where(s => s.Material >= 0).OrderByDescending(s => s.Triangles).ThenBy(s => s.Material).Select(s => (int?)s.Material)
                .FirstOrDefault() ?? -1;
            string own = main < 0 ? (sheets.Length == 1 ? graph.Input.Asset : "no_material") : SafeName(materials[main].Name);
            string name = together ? $"sheet_{i + 1}" : graph.Input.Plan.Layout.Sheets == SheetRule.Together && shares.Count > 1 ? graph.Input.Asset : own;
            int? shown = together ? i : sheets.Length > 1 ? laid.Layout.Sheets[i].Material ?? -1 : null;
            sheets[i] = new LaidSheet(
                sheets.Length > 1 ? names.Give(name) : name, sheets.Length > 1 ? i : null, shown, main, [.. shares.Select(s => s.Material)]);
        }
        return sheets;
    }

    internal static string SafeName(string material) => new([.. material.Select(c => char.IsLetterOrDigit(c) || c is '-' or '.' ? c : '_')]);
}
