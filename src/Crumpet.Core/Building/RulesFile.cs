using System.Text.Json;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Building;

/// <summary>Rules as a file: what a kit keeps, and what <c>crumpet mend</c> applies.</summary>
public static class RulesFile
{
    /// <summary>Reads rules.</summary>
    /// <param name="text">JSON with <c>mends</c> and what else <see cref="IntakeRules"/> has.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no JSON, or a mend in it is not known or cannot work.</exception>
    public static IntakeRules Read(byte[] text, string fileName)
    {
        try
        {
            return KitJson.Read<IntakeRules>(KitJson.Checked(text, fileName), fileName);
        }
        catch (SourceFileException e) when (e.InnerException is JsonException or NotSupportedException or InvalidOperationException
            && !e.Message.Contains(" is not known", StringComparison.Ordinal))
        {
            string where = (e.InnerException as JsonException)?.Path is { Length: > 0 } path ? path : "";
            string words = string.Join(", ", IntakeMendKinds.All.Select(m => m.Word));
            throw new SourceFileException(fileName, where, "it cannot be read as rules",
                $"Write it as {{\"mends\":[{{\"mend\":\"units\",\"factor\":0.01}}]}}; mends are {words}", e);
        }
    }

    /// <summary>The bytes of a rules file.</summary>
    public static byte[] Write(IntakeRules rules) => JsonSerializer.SerializeToUtf8Bytes(rules, BuildJson.Indented);
}
