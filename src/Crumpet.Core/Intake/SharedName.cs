using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>Names what several files make up.</summary>
public static class SharedName
{
    private const StringSplitOptions Kept = StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries;
    private static readonly char[] Separators = ['_', ' '];
    private static readonly NameReader Reader = NameReader.Create(Sides.DefaultPattern, new NameRules());

    /// <summary>
    /// An asset's name from those of its files: the words with which all meshes begin, otherwise the first mesh's; without one, all textures'.
    /// </summary>
    /// <param name="fileNames">At least one.</param>
    public static string Of(IReadOnlyList<string> fileNames)
    {
        string[] meshes = [.. fileNames.Where(MeshFiles.IsMesh)];
        // Without a mesh, what textures' names say beside what they are.
        string[] sets = meshes.Length > 0 ? [] : [.. fileNames.Where(f => TextureKinds.ByName(f) != TextureKind.Unknown).Select(TextureKinds.SetOf)];
        IEnumerable<string> names = meshes.Length > 0 ? meshes.Select(Reader.PartOfFile)
            : sets.Any(s => s.Length > 0) ? sets.Where(s => s.Length > 0) : [Reader.PartOfFile(fileNames[0])];
        string[][] stems = [.. names.Select(n => n.Split(Separators, Kept)).DistinctBy(s =>
            string.Join(' ', s), StringComparer.OrdinalIgnoreCase)];
        int shared = stems.Min(s => s.Length);
        while (shared > 0 && stems.Any(s => !s.Take(shared).SequenceEqual(stems[0].Take(shared), StringComparer.OrdinalIgnoreCase)))
            shared--;
        string words = string.Join(' ', shared > 0 ? stems[0].Take(shared) : stems[0]);
        return words.Length > 0 ? char.ToUpperInvariant(words[0]) + words[1..] : "New asset";
    }
}
