using Crumpet.Core.Bake;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>The jobs of Intake.</summary>
internal static class IntakeExpansion
{
    private const int ThumbnailSide = 256;

    /// <summary>Lists them.</summary>
    /// <returns>Whether all could be listed.</returns>
    public static bool Add(AssetGraph graph)
    {
        var (plan, rules, sources) = (graph.Input.Plan, graph.Input.Rules, graph.Input.Sources);
        var inputs = new List<(string, JobFile)>();
        bool mayChange(SourceFile file) => rules.Mends.Concat(plan.Mends).Any(m => TakeInJob.Changes(m, file.Name));
        var companions = sources.Where(s => MeshFiles.IsCompanion(s.Name) && !MeshFiles.IsPicture(s.Name)).ToArray();
        var layers = sources.Where(s => MeshFiles.IsLayer(s.Name)).ToArray();
        bool areAllRead = true;
        for (int i = 0; i < sources.Count; i++)
        {
            var file = sources[i];
            if (MeshFiles.IsMesh(file.Name))
            {
                var node = graph.Add(
                    Station.Intake, JobKinds.Read, file.Name, ReadSettings.Of(file.Name),
                    companions.Concat(layers.Where(_ => MeshFiles.IsLayer(file.Name))).Where(c => c.Name != file.Name)
                        .Select(c => (ReadJob.Beside(c.Name), (JobFile)Bytes(c))).Prepend(("file", Bytes(file))));
                graph.Reads.Add(node);
                areAllRead &= node.Result is not null;
                inputs.Add(node.Has(ReadProblem.Role) ? ($"{ReadProblem.Role}/{i}", node[ReadProblem.Role]) : ($"scene/{i}", node["scene"]));
                graph.InnerPictures.AddRange(InnerOf(file, node));
            }
            else if (MeshFiles.IsPicture(file.Name))
                AddLook(file, i);
        }
        for (int k = 0; k < graph.InnerPictures.Count; k++)
            AddLook(graph.InnerPictures[k], sources.Count + k);
        bool makesNormals = rules.Mends.Concat(plan.Mends).OfType<MakeNormals>().Any();
        var settings = new TakeInSettings(
            plan.NamePattern, rules.Names, rules.Mends, plan.Mends, makesNormals ? plan.Target.Green : null,
            [.. sources.Concat(graph.InnerPictures).Select(s => new TakenFile(s.Name, s.Bytes, s.ForcedSide))]);
        graph.TakenIn = graph.Add(Station.Intake, JobKinds.TakeIn, "", settings, inputs);
        if (!areAllRead || graph.Intake is not { } report)
            return false;
        Stages(graph, report);
        return true;

        void AddLook(SourceFile file, int number)
        {
            var node = graph.Add(Station.Intake, JobKinds.Look, file.Name, new LookSettings(Path.GetExtension(file.Name).ToLowerInvariant()),
                ("file", Bytes(file)));
            areAllRead &= node.Result is not null;
            string role = node.Has(ReadProblem.Role) ? ReadProblem.Role : "look";
            inputs.Add(($"{role}/{number}", node[role]));
            if (role == "look" && mayChange(file))
                inputs.Add(($"picture/{number}", Bytes(file)));
        }
    }

    /// <summary>Pictures inside a mesh file that was read, as files of their own.</summary>
    private static IEnumerable<SourceFile> InnerOf(SourceFile file, JobNode node) =>
        (node.Report<ReadReport>()?.Pictures ?? []).Select((name, i) => (name, File: node[ReadJob.Inner(i)].File))
            .Where(p => p.File is not null && MeshFiles.IsPicture(p.name)).Select(p => new SourceFile($"{file.Name}/{p.name}", p.File!.Sha256, p.File.Bytes));

    /// <summary>What findings are judged by.</summary>
    public static IntakeMeasures MeasuresOf(AssetGraph graph)
    {
        var input = graph.Input;
        return new(input.Plan.NamePattern, input.Plan.Mends, input.Rules, input.Plan.Target.Limits,
            input.Plan.Bake.GoesWithoutHigh() || graph.HasOthersTextures, [.. input.Sources.Select(s => s.Name)]);
    }

    private static void Stages(AssetGraph graph, IntakeReport report)
    {
        var (rows, scene) = (report.Objects, graph.TakenIn!);
        int[] all = [.. Enumerable.Range(0, rows.Count)];
        if (all.Length == 0)
            return;
        // The high side says best what the asset is.
        int[] high = [.. all.Where(i => rows[i].Side == Side.High)];
        graph.Thumbnail = graph.Add(Station.Intake, JobKinds.Thumbnail, "of the asset", new ThumbnailSettings(ThumbnailSide),
            (high.Length > 0 ? high : all).Select((o, k) => ($"shape/{k}", scene[$"shape/{o}"])));
        foreach (var side in all.GroupBy(i => rows[i].Side).OrderBy(g => g.Key))
        {
            graph.Stages.Add(side.Key, graph.Add(
                Station.Intake, JobKinds.Stage, Sides.Word(side.Key), StageOf(rows, [.. side], side.Key == Side.Low, null),
                side.SelectMany((o, k) => new[] { ($"shape/{k}", scene[$"shape/{o}"]), ($"spread/{k}", scene[$"spread/{o}"]) })
                    .Append(("materials", scene["materials"]))));
        }
    }

    /// <summary>How some objects are shown on the stage.</summary>
    public static StageSettings StageOf(IReadOnlyList<ObjectReport> rows, IReadOnlyList<int> numbers, bool isBakedOnto, IReadOnlyList<StageSheet>? sheets)
    {
        var centres = rows.GroupBy(r => r.Part, StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => AssetGraph.Three(AssetGraph.BoxOf(g).Centre), StringComparer.Ordinal);
        var whole = AssetGraph.BoxOf(rows);
        return new StageSettings([.. numbers.Select(i => new StageObject(rows[i].Name, rows[i].Part, centres[rows[i].Part]))], AssetGraph.Three(whole.Min),
            AssetGraph.Three(whole.Max), isBakedOnto, sheets);
    }

    private static StoredFile Bytes(SourceFile file) => new(file.Name, file.Sha256, file.Bytes);
}
