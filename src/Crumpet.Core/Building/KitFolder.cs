using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Building;

/// <summary>A source file of an asset in a kit folder.</summary>
/// <param name="Path">Its path below the asset's folder, parted by slashes.</param>
/// <param name="Side">Side given by hand for all its objects, or null to read it from names.</param>
public sealed record KitFolderSource([property: Words("A source", FieldRules.LongestText)] string Path, Side? Side = null);

/// <summary>An asset in a kit folder.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Folder">Folder of its sources, below the kit's.</param>
/// <param name="Sources">Its source files.</param>
/// <param name="Own">What it says otherwise than the kit, as <see cref="PlanLayers"/> writes it.</param>
public sealed record KitFolderAsset(string Name, string Folder, IReadOnlyList<KitFolderSource> Sources, JsonObject Own);

/// <summary>
/// A whole kit as files, so that it can live in version control: <c>kit.json</c> says what the kit decides, <c>assets/NAME/asset.json</c>
/// what an asset says otherwise, and its sources lie beside that. The web application and the command line read and write it by this.
/// </summary>
/// <param name="Name">Name of the kit.</param>
/// <param name="Rules">What its assets share about what arrives.</param>
/// <param name="Plan">What it decides for assets that say nothing else.</param>
/// <param name="Assets">Its assets.</param>
public sealed record KitFolder(string Name, IntakeRules Rules, AssetPlan Plan, IReadOnlyList<KitFolderAsset> Assets)
{
    /// <summary>Version of the layout that is written.</summary>
    public const int Version = 3;

    /// <summary>Name of an asset's file.</summary>
    public const string AssetFile = "asset.json";

    private const string AssetsFolder = "assets";
    private const int MostAssets = 10_000;
    private const int MostSources = 20_000;

    internal sealed record KitDocument(
        [property: Within("The version", 1, Version)] int Version, [property: Words("The name", KitFile.LongestName)] string Name,
            [property: AtMost(MostAssets)] IReadOnlyList<string> Assets,
        IntakeRules? Rules = null, AssetPlan? Settings = null);

    internal sealed record AssetDocument(
        [property: Within("The version", 1, Version)] int Version, [property: Words("The name", KitFile.LongestName)] string Name,
        [property: AtMost(MostSources)] IReadOnlyList<KitFolderSource> Sources, AssetPlan? Settings = null);

    /// <summary>Folder of an asset, below the kit's.</summary>
    public static string FolderOf(string asset) => $"{AssetsFolder}/{AssetBuild.FileNameOf(asset)}";

    /// <summary>Reads a kit folder. One of an earlier version is brought up to this one.</summary>
    /// <param name="file">The bytes of a file by its path below the folder; null where there is none.</param>
    /// <exception cref="SourceFileException">A file is missing or cannot be read, or says something that cannot be.</exception>
    public static KitFolder Read(Func<string, byte[]?> file)
    {
        byte[] text = file(KitFile.FileName) ?? throw new SourceFileException(KitFile.FileName, "", "it is not there",
            $"Give the folder that holds {KitFile.FileName}; 'crumpet demo' writes one as a pattern");
        if (VersionOf(KitJson.Checked(text, KitFile.FileName)) == 1)
            return Upgraded(text);
        text = Brought(text);
        var kit = KitJson.Read<KitDocument>(text, KitFile.FileName);
        var plan = PlanLayers.OfKit(PlanLayers.Merge(new AssetPlan(), OwnOf(text)));
        Check(plan.Problem(), KitFile.FileName);
        var assets = new List<KitFolderAsset>();
        foreach (string name in kit.Assets)
        {
            string folder = $"{AssetsFolder}/{name}", path = $"{folder}/{AssetFile}";
            if (name.Contains('/', StringComparison.Ordinal) || Leaves(name))
                throw new SourceFileException(KitFile.FileName, "assets", $"'{FieldRules.Quoted(name)}' is no name of a folder in {AssetsFolder}",
                    "Correct it");
            byte[] given = file(path) ?? throw new SourceFileException(KitFile.FileName, $"asset {name}", $"there is no {path}",
                "Add it, or take the asset out of the list");
            byte[] own = Brought(KitJson.Checked(given, path));
            var asset = KitJson.Read<AssetDocument>(own, path);
            if (asset.Sources.FirstOrDefault(s => Leaves(s.Path)) is { } outside)
                throw new SourceFileException(path, "sources", $"the path {outside.Path} leaves the asset's folder", "Use paths inside it");
            var decided = OwnOf(own);
            Check(PlanLayers.Merge(plan, decided).Problem(), path);
            assets.Add(new KitFolderAsset(asset.Name, folder, asset.Sources, decided));
        }
        if (assets.GroupBy(a => a.Name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice)
            throw new SourceFileException(KitFile.FileName, "", $"two assets are named {twice.Key}", "Rename one");
        return new KitFolder(kit.Name, kit.Rules ?? new IntakeRules(), plan, assets);
    }

    /// <summary>The folder's own files; sources are not among them.</summary>
    public IEnumerable<(string Path, byte[] Bytes)> Documents()
    {
        var kit = new JsonObject
        {
            ["version"] = Version,
            ["name"] = Name,
            ["assets"] = new JsonArray([.. Assets.Select(a => (JsonNode)a.Folder[(AssetsFolder.Length + 1)..])]),
            ["rules"] = JsonSerializer.SerializeToNode(Rules, BuildJson.Options),
            ["settings"] = PlanLayers.Own(new AssetPlan(), Plan),
        };
        yield return (KitFile.FileName, Bytes(kit));
        foreach (var asset in Assets)
        {
            yield return ($"{asset.Folder}/{AssetFile}", Bytes(new JsonObject
            {
                ["version"] = Version,
                ["name"] = asset.Name,
                ["sources"] = new JsonArray(
                    [.. asset.Sources.Select(s => s.Side is { } side ? new JsonObject { ["path"] = s.Path, ["side"] = Sides.Word(side) }
                    : new JsonObject { ["path"] = s.Path })]),
                ["settings"] = asset.Own.DeepClone(),
            }));
        }
    }

    /// <summary>The plan an asset is worked by.</summary>
    public AssetPlan PlanOf(KitFolderAsset asset) => PlanLayers.Merge(Plan, asset.Own);

    /// <summary>A document as this version writes it; one that is this version's is not touched.</summary>
    private static byte[] Brought(byte[] text)
    {
        if (VersionOf(text) != 2 || KitJson.Parse(text) is not JsonObject document)
            return text;
        if (document["settings"] is not JsonObject settings)
            document["settings"] = settings = [];
        string before = document.ToJsonString();
        PlanUpgrade.Upgrade(settings);
        if (document["rules"] is JsonObject rules)
            PlanUpgrade.Upgrade(rules, settings);
        return document.ToJsonString() == before ? text : Bytes(document);
    }

    private static KitFolder Upgraded(byte[] text)
    {
        var limits = new JsonObject();
        var document = KitJson.Parse(text)!;
        foreach (var plan in (document["assets"] as JsonArray ?? []).Select(a => (a as JsonObject)?["plan"]).OfType<JsonObject>())
            PlanUpgrade.Upgrade(plan);
        if (document["rules"] is JsonObject rules)
            PlanUpgrade.Upgrade(rules, limits);
        return Upgraded(KitFile.Read(System.Text.Encoding.UTF8.GetBytes(document.ToJsonString(BuildJson.Options))), limits);
    }

    private static KitFolder Upgraded(KitFile kit, JsonObject limits) => new(
        kit.Name, kit.Rules ?? new IntakeRules(), PlanLayers.Merge(new AssetPlan(), limits),
        [.. kit.Assets.Select(a => new KitFolderAsset(a.Name, a.Folder, [.. a.Sources.Select(s => new KitFolderSource(s))],
            PlanLayers.Own(new AssetPlan(), a.Plan ?? new AssetPlan())))]);

    private static int VersionOf(byte[] text)
    {
        try
        {
            return KitJson.Parse(text)?["version"]?.GetValue<int>() ?? 0;
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException)
        {
            // Whoever reads it says what is wrong with it.
            return 0;
        }
    }

    private static JsonObject OwnOf(byte[] text) => KitJson.Parse(text)!["settings"] as JsonObject is { } own ? own.DeepClone().AsObject() : [];

    private static void Check(string? problem, string file)
    {
        if (problem is not null)
            throw new SourceFileException(file, "settings", problem.TrimEnd('.'), "Correct it");
    }

    private static bool Leaves(string path) => Path.IsPathRooted(path) || path.Split('/', '\\').Any(p => p is ".." or "." or "");

    private static byte[] Bytes(JsonObject document) => System.Text.Encoding.UTF8.GetBytes(document.ToJsonString(BuildJson.Indented) + "\n");
}
