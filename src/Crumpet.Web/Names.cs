using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;

namespace Crumpet.Web;

/// <summary>Names that are given and taken.</summary>
public static class Names
{
    private const StringSplitOptions Kept = StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries;
    private static readonly char[] Separators = ['_', ' '];
    private static readonly NameReader Reader = NameReader.Create(Sides.DefaultPattern, new NameRules());

    // Room for a number behind a name.
    private const int Room = 8;

    /// <summary>The rule for names of kits and assets.</summary>
    public static WordsAttribute Rule { get; } = FieldRules.Of<KitFile, WordsAttribute>(nameof(KitFile.Name));

    /// <summary>What is wrong with a name of a kit or an asset, one sentence, or null.</summary>
    public static string? Problem(string name) => Rule.Problem(name);

    /// <summary>The name, or the name with the first free number. Names begin file names, so those that differ in case alone are as good as equal.</summary>
    public static string Free(string name, IReadOnlyCollection<string> taken)
    {
        name = SafeName.Of(name, Rule.Longest - Room);
        string free = name;
        for (int i = 2; taken.Contains(free, StringComparer.OrdinalIgnoreCase); i++)
            free = $"{name} {i}";
        return free;
    }

    /// <summary>An asset's name from those of its files: the words with which all meshes begin, otherwise the first mesh's.</summary>
    /// <param name="fileNames">At least one.</param>
    public static string FromFiles(IReadOnlyList<string> fileNames)
    {
        string[] meshes = [.. fileNames.Where(MeshFiles.IsMesh)];
        string[][] stems = [.. (meshes.Length > 0 ? meshes : [fileNames[0]]).Select(f => Reader.PartOfFile(f).Split(Separators, Kept)).DistinctBy(s =>
            string.Join(' ', s), StringComparer.OrdinalIgnoreCase)];
        int shared = stems.Min(s => s.Length);
        while (shared > 0 && stems.Any(s => !s.Take(shared).SequenceEqual(stems[0].Take(shared), StringComparer.OrdinalIgnoreCase)))
            shared--;
        string words = string.Join(' ', shared > 0 ? stems[0].Take(shared) : stems[0]);
        return words.Length > 0 ? char.ToUpperInvariant(words[0]) + words[1..] : "New asset";
    }
}
