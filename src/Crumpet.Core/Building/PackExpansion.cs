using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>What can feed channels on a sheet, with its file.</summary>
/// <param name="Name">Name by which recipes know it.</param>
/// <param name="Origin">Where it comes from.</param>
/// <param name="Channels">Channels it has.</param>
public sealed record SheetFeed(string Name, FeedOrigin Origin, int Channels) : PackFeed(Name, Origin, Channels)
{
    internal JobFile? File { get; init; }

    internal JobFile? Scale { get; init; }

    /// <summary>Its file; null where there is none or it is still to come.</summary>
    public StoredFile? Content => File?.File;

    /// <summary>Its scale, for floating-point values that are shown by one.</summary>
    public StoredFile? ContentScale => Scale?.File;
}

/// <summary>What can feed channels on a sheet.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Width">Width of what is packed of it, pixels.</param>
/// <param name="Height">Its height.</param>
/// <param name="Feeds">What there is, by name.</param>
public sealed record SheetFeeds(string Sheet, int Width, int Height, IReadOnlyList<SheetFeed> Feeds);

/// <summary>The jobs of Pack.</summary>
internal static class PackExpansion
{
    /// <summary>Lists them.</summary>
    public static bool Add(AssetGraph graph)
    {
        RecipeOutput[] made = [.. graph.Input.Plan.Recipe.Made()];
        string[] asked = [.. made.SelectMany(o => o.Maps()).Distinct(StringComparer.Ordinal)];
        foreach (var sheet in graph.SheetNodes)
        {
            AddFeeds(graph, sheet, asked);
            if (SharedTextures.IsTaken(graph, sheet.Sheet.Name))
                continue;
            foreach (var output in made)
            {
                var inputs = new List<(string, JobFile)>();
                var maps = new SortedDictionary<string, OutputMap>(StringComparer.Ordinal);
                var fixedValues = new SortedDictionary<string, int[]>(StringComparer.Ordinal);
                foreach (string map in output.Maps().Order(StringComparer.Ordinal))
                {
                    if (sheet.Feeds.GetValueOrDefault(map) is not { } feed)
                        continue;
                    if (feed.Codes is { } codes)
                        fixedValues[map] = codes;
                    else if (feed.File is { } file)
                    {
                        maps[map] = feed.Map!;
                        inputs.Add((OutputJob.Map(map), file));
                        if (feed.Scale is { } scale)
                            inputs.Add((OutputJob.Scale(map), scale));
                    }
                }
                sheet.Outputs.Add((output, graph.Add(Station.Pack, JobKinds.Output, $"{output.Name} of {sheet.Sheet.Name}",
                    new OutputSettings(sheet.PackedWidth, sheet.PackedHeight, OutputSettings.Plain(Turned(graph, sheet, output)), maps, fixedValues), inputs)));
            }
        }
        return true;
    }

    /// <summary>An output with its green turned where it came otherwise than the target wants it.</summary>
    private static RecipeOutput Turned(AssetGraph graph, SheetNodes sheet, RecipeOutput output)
    {
        var feed = output.Channels.Count < 2 ? null : output.Channels[1].From.Select(sheet.Feeds.GetValueOrDefault).FirstOrDefault(f => f is not null);
        return output.Normals?.TurnGreen is null && NormalWorking.Turns(output, feed, graph.Input.Plan.Target.Green)
            ? output with { Normals = (output.Normals ?? new NormalWork()) with { TurnGreen = true } } : output;
    }

    /// <summary>Finds what can feed the channels of a sheet: what was baked goes before what came along, and that before what materials say.</summary>
    private static void AddFeeds(AssetGraph graph, SheetNodes sheet, IReadOnlyList<string> asked)
    {
        var bake = graph.Input.Plan.Bake;
        // Without parts nothing was baked.
        bool isBaked = graph.Pairs!.Paired.Any();
        foreach (var (map, node) in isBaked ? sheet.Maps : [])
        {
            var file = bake.FileOf(map);
            Add(new SheetFeed(map.Name, FeedOrigin.Baked, map.Channels + (bake.CoverageAlpha ? 1 : 0))
            {
                Green = GreenOf(graph, map),
                Map = new OutputMap(MapFiles.EndingOf(file), map.Meaning, file == MapFile.Exr ? map : null),
                File = node["map"],
                Scale = file == MapFile.Exr ? (JobFile?)node["scale"] : null,
            });
        }
        foreach (var (map, node) in sheet.Made)
            Add(Made(graph, map, node));
        var brought = BroughtTextures.Of(graph, sheet.Sheet);
        foreach (var (name, texture) in brought)
            Add(Brought(name, texture));
        var used = asked.Select(brought.GetValueOrDefault).OfType<BroughtTexture>().Select(b => b.Texture);
        if (!isBaked && used.MaxBy(t => (long)t.Width * t.Height) is { } largest)
            (sheet.PackedWidth, sheet.PackedHeight) = (largest.Width, largest.Height);
        string normal = BakeMap.Normal.Name;
        if (asked.Contains(normal) && !sheet.Feeds.ContainsKey(normal) && brought.GetValueOrDefault(BakeMap.Height.Name) is { } height)
            Add(NormalsOf(graph, height));
        AddMaterials(graph, sheet, asked, Add);

        void Add(SheetFeed feed) => sheet.Feeds.TryAdd(feed.Name, feed);
    }

    private static SheetFeed Made(AssetGraph graph, BakeMap map, JobNode node) => new(map.Name, FeedOrigin.Made, map.Channels)
    {
        Green = GreenOf(graph, map),
        Map = new OutputMap(".png", map.Meaning),
        File = node["map"],
    };

    private static GreenDirection? GreenOf(AssetGraph graph, BakeMap map) => map.IsTangent ? graph.Input.Plan.Target.Green : null;

    private static SheetFeed Brought(string name, BroughtTexture texture) => new(name, FeedOrigin.Brought, texture.Channels)
    {
        From = texture.Texture.File,
        Green = texture.Texture.Green,
        Factor = texture.Factor,
        Map = new OutputMap(texture.Ending, BakeMaps.Find(name)?.Meaning ?? texture.Texture.Meaning) { Channel = texture.Channel, Invert = texture.Invert },
        File = texture.Content,
    };

    /// <summary>Where none came, normals are made of the heights that did.</summary>
    private static SheetFeed NormalsOf(AssetGraph graph, BroughtTexture height)
    {
        var plain = MadeMap.Plain;
        string file = height.Texture.File;
        var settings = new MadeMapSettings(MadeOf.Height, BakeMap.Normal, plain.Strength, plain.RadiusPixels, plain.Wrap, graph.Input.Plan.Target.Green,
            Math.Max(height.Texture.Width, height.Texture.Height), height.Ending);
        var node = graph.Add(Station.Pack, JobKinds.MadeMap, $"{BakeMap.Normal.Label} of {file}", settings, ("picture", height.Content));
        return Made(graph, BakeMap.Normal, node) with { From = file };
    }

    /// <summary>What a sheet's materials say, by the names of maps and by names that say so; drawn where they differ and somebody asks.</summary>
    private static void AddMaterials(AssetGraph graph, SheetNodes sheet, IReadOnlyList<string> asked, Action<SheetFeed> add)
    {
        var values = ValuesOf(graph, sheet.Sheet);
        string[] wanted = [.. values[0].Maps.Keys.SelectMany(m => new[] { m, Feed.OfMaterial + m }).Where(n => !sheet.Feeds.ContainsKey(n))];
        var drawn = values.Count > 1 && wanted.Any(asked.Contains) ? Drawn(graph, sheet, values) : null;
        foreach (string name in wanted)
        {
            string map = Feed.MapOf(name);
            add(new SheetFeed(name, FeedOrigin.Material, values[0].Maps[map].Length)
            {
                Codes = values.Count == 1 ? values[0].Maps[map] : null,
                Map = drawn is null ? null : new OutputMap(".png", OutputJob.MeaningOf(map)),
                File = drawn?[OutputJob.Map(map)],
            });
        }
    }

    /// <summary>What a sheet's materials say without textures, the main one's first.</summary>
    private static IReadOnlyList<MaterialValues> ValuesOf(AssetGraph graph, LaidSheet sheet) =>
    [
        .. sheet.Materials.DefaultIfEmpty(-1).OrderByDescending(m => m == sheet.MainMaterial).Select(m =>
            new MaterialValues(m, ChannelPacker.MaterialMaps(m < 0 ? Material.Plain : graph.Intake!.Materials[m].ToMaterial()))),
    ];

    private static JobNode Drawn(AssetGraph graph, SheetNodes sheet, IReadOnlyList<MaterialValues> values)
    {
        int[] low = LayoutExpansion.LowNumbers(graph);
        return graph.Add(
            Station.Pack, JobKinds.MaterialMaps, sheet.Sheet.Name,
                new MaterialMapsSettings(sheet.Sheet.Number, sheet.Size, graph.Input.Plan.Bake.PaddingPixels, values),
            low.SelectMany((o, k) => new[] { ($"spread/{k}", graph.TakenIn![$"spread/{o}"]), ($"laid/{k}", graph.Layout![$"laid/{k}"]) }));
    }
}
