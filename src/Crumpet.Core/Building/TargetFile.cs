using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Building;

/// <summary>Targets as files, <c>NAME.target.json</c>.</summary>
public static class TargetFile
{
    /// <summary>What the names of such files end in.</summary>
    public const string Ending = ".target.json";

    /// <summary>Reads a target.</summary>
    /// <param name="text">Its bytes.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no JSON, has a key that is not known, or says what cannot be.</exception>
    public static Target Read(byte[] text, string fileName)
    {
        byte[] whole = KitJson.Checked(text, fileName);
        if (KitJson.Parse(whole) is JsonObject document && document["inputs"] is not null)
        {
            PlanUpgrade.UpgradeTarget(document);
            whole = JsonSerializer.SerializeToUtf8Bytes(document, BuildJson.Indented);
        }
        var target = KitJson.Read<Target>(whole, fileName);
        return target.ProblemTogether() is { } problem ? throw new SourceFileException(fileName, "", problem.TrimEnd('.'), "Correct the target") : target;
    }

    /// <summary>The bytes of a target's file.</summary>
    public static byte[] Write(Target target) => [.. JsonSerializer.SerializeToUtf8Bytes(target, BuildJson.Indented), (byte)'\n'];

    /// <summary>The name of a target's file.</summary>
    public static string NameOf(Target target) => AssetBuild.FileNameOf(target.Name) + Ending;
}
