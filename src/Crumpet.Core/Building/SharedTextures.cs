using Crumpet.Core.Bind;

namespace Crumpet.Core.Building;

/// <summary>Finds the textures a sheet's material takes from another asset of the kit, where they are bound once for all that take them.</summary>
internal static class SharedTextures
{
    /// <summary>Whether a sheet's material takes another asset's textures, so that it needs none of its own.</summary>
    public static bool IsTaken(AssetGraph graph, string sheet) => NameFor(graph, sheet) is not null;

    /// <summary>Name of the asset whose textures a sheet's material takes; null for its own.</summary>
    public static string? NameFor(AssetGraph graph, string sheet) => graph.TakesFromOthers
        && graph.Input.Plan.Materials.GetValueOrDefault(sheet)?.TexturesOf is { } name && AssetBuild.FileNameOf(name) != graph.Input.Asset ? name : null;

    /// <summary>Lists the jobs of the assets whose textures are taken.</summary>
    /// <returns>Whether all could be listed.</returns>
    public static bool Extend(AssetGraph graph)
    {
        bool isWhole = true;
        foreach (string name in graph.SheetNodes.Select(s => NameFor(graph, s.Sheet.Name)).OfType<string>().Distinct(StringComparer.Ordinal))
        {
            if (graph.Input.Shared.FirstOrDefault(s => s.Name == name) is not { } asset)
                continue;
            var shared = new AssetGraph(asset.Input, graph.Find, asset);
            Expander.Extend(shared, Station.Convert);
            graph.Shared.Add(name, shared);
            graph.Nodes.AddRange(shared.Nodes);
            isWhole &= shared.Listed.Contains(Station.Convert) && shared.Nodes.TrueForAll(n => n.Result is not null);
        }
        return isWhole;
    }

    /// <summary>The graph and the sheet that have a material's textures: another asset's, or its own; null where the other has none.</summary>
    /// <remarks>Of several sheets it is the one of the material's name, or the first.</remarks>
    public static (AssetGraph Graph, SheetNodes Sheet)? Of(AssetGraph graph, SheetNodes sheet)
    {
        if (NameFor(graph, sheet.Sheet.Name) is not { } name)
            return (graph, sheet);
        return graph.Shared.TryGetValue(name, out var shared)
            && (shared.SheetNodes.FirstOrDefault(s => s.Sheet.Name == sheet.Sheet.Name) ?? shared.SheetNodes.FirstOrDefault()) is { Outputs.Count: > 0 } found
            ? (shared, found) : null;
    }

    /// <summary>Sheets whose textures leave with the asset: its own, then others', each once.</summary>
    public static IReadOnlyList<(AssetGraph Graph, SheetNodes Sheet)> All(AssetGraph graph) =>
        [.. graph.SheetNodes.Select(s => Of(graph, s)).OfType<(AssetGraph, SheetNodes)>().Distinct()];

    /// <summary>What is decided about a sheet's material: where another asset has its textures, they are bound as they are there.</summary>
    public static MaterialPlan PlanOf(AssetGraph graph, SheetNodes sheet)
    {
        var own = Decided(graph, sheet.Sheet.Name);
        if (Of(graph, sheet) is not { } there || there.Graph == graph)
            return own;
        var shared = Decided(there.Graph, there.Sheet.Sheet.Name);
        return own with { Model = shared.Model, ByHand = shared.ByHand };
    }

    private static MaterialPlan Decided(AssetGraph graph, string sheet) => graph.Input.Plan.Materials.GetValueOrDefault(sheet) ?? new MaterialPlan();
}
