using System.Globalization;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Names of the prims below one prim: letters, digits and underscores, each once.</summary>
/// <remarks>Source: the published rules of identifiers in Universal Scene Description; other letters stand in the name that is shown.</remarks>
internal sealed class UsdNames
{
    private readonly HashSet<string> taken = new(StringComparer.Ordinal);

    /// <summary>The name of the next prim.</summary>
    public string Give(string wanted)
    {
        var name = new StringBuilder();
        foreach (char c in wanted)
            name.Append(char.IsAsciiLetterOrDigit(c) ? c : '_');
        if (name.Length == 0 || char.IsAsciiDigit(name[0]))
            name.Insert(0, '_');
        string first = name.ToString(), free = first;
        for (int i = 2; !taken.Add(free); i++)
            free = string.Create(CultureInfo.InvariantCulture, $"{first}_{i}");
        return free;
    }
}
