using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>The jobs of Pairs.</summary>
internal static class PairExpansion
{
    private const int PartThumbnailSide = 96;

    /// <summary>What pairs are made by.</summary>
    public static PairRules RulesOf(AssetGraph graph)
    {
        var plan = graph.Input.Plan;
        return new PairRules(
            new MatchInput(graph.Intake!.Objects, NameReader.Create(plan.NamePattern, graph.Input.Rules.Names)), plan.Trays, plan.Pairs,
                plan.Bake.OutwardReachMetres, plan.Bake.InwardReachMetres)
        {
            NeedsNoHigh = graph.GoesWithoutHigh,
            Fitted = graph.FittedReaches,
        };
    }

    /// <summary>Lists them.</summary>
    /// <returns>Whether all could be listed.</returns>
    public static bool Add(AssetGraph graph)
    {
        var (plan, scene, rules) = (graph.Input.Plan, graph.TakenIn!, RulesOf(graph));
        var rows = PairPlanner.Rows(rules);
        AddThumbnails(graph, rows);
        PartRow[] paired = [.. rows.Where(r => r.IsPaired)];
        var inputs = new List<(string, JobFile)> { ("objects", scene["objects"]) };
        foreach (var row in paired)
        {
            var settings = RaysSettings.Of(row, plan.Pairs);
            graph.Rays.Add(graph.Add(
                Station.Pairs, JobKinds.Rays, row.Name, settings,
                    [.. Shapes("low", row.Low), .. Shapes("high", row.High), .. Shapes("cage", settings.Kind == CageKind.File ? row.CageObjects : [])]));
            if (graph.Rays[^1].Report<RaysRoom>() is { } room)
                graph.FittedReaches[row.Name] = room.Reach;
        }
        // What is measured has to be before anything goes by it.
        if (paired.Any(r => (r.OutwardIsFitted || r.InwardIsFitted) && !graph.FittedReaches.ContainsKey(r.Name)))
            return false;
        rows = PairPlanner.Rows(RulesOf(graph));
        paired = [.. rows.Where(r => r.IsPaired)];
        for (int p = 0; p < paired.Length; p++)
        {
            var row = paired[p];
            var reach = new ReachSettings(row.OutwardReachMetres, row.InwardReachMetres);
            var within = ReachFit.ForFit(reach, row.OutwardIsFitted, AssetGraph.BoxOf(row.Low.Select(o => graph.Intake!.Objects[o])));
            var fit = graph.Add(Station.Pairs, JobKinds.Fit, row.Name, within, [.. Shapes("low", row.Low), .. Shapes("high", row.High)]);
            inputs.Add(($"fit/{p}", fit["fit"]));
            inputs.Add(($"cage/{p}", graph.Rays[p]["cage"]));
        }
        if (paired.Length > 0)
        {
            var contacts = graph.Add(
                Station.Pairs, JobKinds.Contacts, "",
                    new ContactsSettings([.. paired.Select(r => new ReachSettings(r.OutwardReachMetres, r.InwardReachMetres))]),
                paired.SelectMany((r, p) => (IEnumerable<(string, JobFile)>)[.. Shapes($"low/{p}", r.Low), .. Shapes($"high/{p}", r.High),
                    ($"rays/{p}", graph.Rays[p]["rays"])]));
            inputs.Add(("contacts", contacts["contacts"]));
        }
        if (rows.Any(r => !r.IsPaired))
        {
            var suggest = graph.Add(
                Station.Pairs, JobKinds.Suggest, "", new SuggestSettings(plan.NamePattern, graph.Input.Rules.Names, rows, rules.WidestReach),
                Shapes("shape", [.. Enumerable.Range(0, graph.Intake!.Objects.Count)]).Prepend(("objects", scene["objects"])));
            inputs.Add(("suggestions", suggest["suggestions"]));
        }
        var told = new PairJobSettings(plan.NamePattern, graph.Input.Rules.Names, plan.Trays, plan.Pairs with { Strokes = [] }, rules.OutwardReachMetres,
            rules.InwardReachMetres);
        graph.Pair = graph.Add(Station.Pairs, JobKinds.Pair, "", told, inputs);
        if (graph.Pairs is not { } pairs)
            return false;
        PartRow[] planned = [.. pairs.Paired];
        if (planned.Length > 0)
        {
            graph.CageStage = graph.Add(
                Station.Pairs, JobKinds.CageStage, "", new CageStageSettings([.. planned.Select(r => new CagePart(r.Name, r.OutwardReachMetres))]),
                planned.SelectMany((r, p) => (IEnumerable<(string, JobFile)>)[.. Shapes($"low/{p}", r.Low), ($"rays/{p}", graph.Rays[p]["rays"]), (
                    $"outside/{p}", graph.Rays[p]["outside"])]));
        }
        return true;

        IEnumerable<(string, JobFile)> Shapes(string list, IReadOnlyList<int> numbers) => numbers.Select((o, k) => ($"{list}/{k}", scene[$"shape/{o}"]));
    }

    /// <summary>A small picture of each side of each row.</summary>
    private static void AddThumbnails(AssetGraph graph, IReadOnlyList<PartRow> rows)
    {
        for (int i = 0; i < rows.Count; i++)
        {
            foreach (var (side, numbers) in new[] { ("low", rows[i].Low), ("high", rows[i].High) })
            {
                if (numbers.Count == 0)
                    continue;
                var node = graph.Add(
                    Station.Pairs, JobKinds.Thumbnail, $"of {rows[i].Name}, {side}", new ThumbnailSettings(PartThumbnailSide),
                        numbers.Select((o, k) => ($"shape/{k}", graph.TakenIn![$"shape/{o}"])));
                graph.PartThumbnails.Add((node, $"{side}_{i}.png"));
            }
        }
    }
}
