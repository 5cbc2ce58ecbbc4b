using System.Text.Json;
using Crumpet.Core.Building;

namespace Crumpet.Bench;

/// <summary>What the measuring commands share: bounds, files, and a JSON object on standard output.</summary>
internal static class Bench
{
    /// <summary>Most threads that are used.</summary>
    public const int MostThreads = 1024;

    /// <summary>Most triangles a mesh is made of.</summary>
    public const int MostTriangles = 50_000_000;

    /// <summary>A number within limits.</summary>
    public static int Within(string option, int value, int least, int most) =>
        value >= least && value <= most ? value : throw new ArgumentException($"{option} is {value}; it must be {least} to {most}.");

    /// <summary>Writes a file and gives its path.</summary>
    public static string Write(DirectoryInfo folder, string name, byte[] bytes)
    {
        folder.Create();
        string path = Path.Combine(folder.FullName, name);
        File.WriteAllBytes(path, bytes);
        return path;
    }

    /// <summary>Prints what was measured.</summary>
    public static int Print(object report)
    {
        Console.WriteLine(JsonSerializer.Serialize(report, BuildJson.Indented));
        return 0;
    }
}
