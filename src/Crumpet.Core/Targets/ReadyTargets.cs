using Crumpet.Core.Imaging;

namespace Crumpet.Core.Targets;

/// <summary>The ready targets a kit can begin with. A new one is an entry here.</summary>
public static class ReadyTargets
{
    /// <summary>All of them; the first is what a kit begins with.</summary>
    public static IReadOnlyList<Target> All { get; } =
    [
        new(),
        new() { Name = "glTF, green down", Green = GreenDirection.Down },
        new() { Name = "glTF, small squares", LargestTexture = 2048, SquareTextures = true },
    ];

    /// <summary>The target of this name, or null.</summary>
    public static Target? Find(string? name) => All.FirstOrDefault(t => t.Name == name);
}
