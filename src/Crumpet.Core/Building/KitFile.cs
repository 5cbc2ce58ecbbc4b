using System.Text.Json;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Building;

/// <summary>One asset of a kit folder.</summary>
/// <param name="Name">Name.</param>
/// <param name="Folder">Folder of its sources, relative to the kit's.</param>
/// <param name="Sources">File names in that folder.</param>
/// <param name="Plan">Decisions; null for the defaults.</param>
public sealed record KitAsset(
    [property: Words("The name", KitFile.LongestName)] string Name,
    [property: Words("The folder of an asset", FieldRules.LongestText, MayBeEmpty = true)] string Folder,
    [property: Words("A source", FieldRules.LongestText)] IReadOnlyList<string> Sources,
    AssetPlan? Plan = null);

/// <summary>The <c>kit.json</c> of a kit folder.</summary>
/// <param name="Version">Version of this layout: 1.</param>
/// <param name="Name">Name of the kit.</param>
/// <param name="Assets">Its assets.</param>
/// <param name="Rules">What they share about what arrives; null for the defaults.</param>
public sealed record KitFile(
    [property: Within("The version", 1, 1)] int Version,
    [property: Words("The name", KitFile.LongestName)] string Name,
    IReadOnlyList<KitAsset> Assets,
    Intake.IntakeRules? Rules = null)
{
    /// <summary>Most characters of the name of a kit or an asset.</summary>
    public const int LongestName = 80;

    /// <summary>Name of the file.</summary>
    public const string FileName = "kit.json";

    /// <summary>Reads a kit file.</summary>
    /// <param name="text">Its bytes.</param>
    /// <exception cref="SourceFileException">It is no kit, or a path in it leaves the folder.</exception>
    public static KitFile Read(byte[] text)
    {
        KitFile? kit;
        try
        {
            kit = JsonSerializer.Deserialize<KitFile>(text, BuildJson.Options);
        }
        catch (Exception e) when (e is JsonException or NotSupportedException)
        {
            throw new SourceFileException(FileName, (e as JsonException)?.Path is { Length: > 0 } path ? path : "", "it cannot be read as a kit",
                "Correct it, or write it again with 'crumpet demo' as a pattern", e);
        }
        if (kit is not { Version: 1, Name.Length: > 0, Assets: not null })
            throw new SourceFileException(FileName, "", "it lacks version 1, a name or its assets", "Add what is missing");
        // Whose plan it is says the loop below.
        if (FieldRules.Problem(kit with { Assets = [.. kit.Assets.Select(a => a is null ? null! : a with { Plan = null })] }) is { } odd)
            throw new SourceFileException(FileName, "", odd.TrimEnd('.'), "Correct it");
        foreach (var asset in kit.Assets)
        {
            if (string.IsNullOrWhiteSpace(asset.Name) || asset.Folder is null || asset.Sources is null or { Count: 0 })
                throw new SourceFileException(FileName, $"asset {asset.Name}", "it lacks a name, a folder or its sources", "Add what is missing");
            if (asset.Sources.Prepend(asset.Folder).FirstOrDefault(Leaves) is { } path)
                throw new SourceFileException(FileName, $"asset {asset.Name}", $"the path {path} leaves the kit's folder", "Use paths inside it");
            if (asset.Plan?.Problem() is { } problem)
                throw new SourceFileException(FileName, $"asset {asset.Name}", problem.TrimEnd('.'), "Correct its plan");
        }
        return kit;
    }

    /// <summary>The bytes of the file.</summary>
    public byte[] Write() => JsonSerializer.SerializeToUtf8Bytes(this, BuildJson.Indented);

    private static bool Leaves(string path) => Path.IsPathRooted(path) || path.Split('/', '\\').Contains("..");
}
