using Crumpet.Core.Building;
using Crumpet.Core.Checking;

namespace Crumpet.Web;

/// <summary>Names that are given and taken.</summary>
public static class Names
{
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
}
