namespace Crumpet.Core.Intake;

/// <summary>Names what several files make up.</summary>
public static class SharedName
{
    private const StringSplitOptions Kept = StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries;
    private static readonly char[] Separators = ['_', ' '];
    private static readonly NameReader Reader = NameReader.Create(Sides.DefaultPattern, new NameRules());

    /// <summary>An asset's name from those of its files: the words with which all meshes begin, otherwise the first mesh's.</summary>
    /// <param name="fileNames">At least one.</param>
    public static string Of(IReadOnlyList<string> fileNames)
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
