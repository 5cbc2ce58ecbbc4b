using System.Text.Json;
using Crumpet.Core.Checking;
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
            var rules = JsonSerializer.Deserialize<IntakeRules>(text, BuildJson.Options) ?? throw new JsonException();
            return FieldRules.Problem(rules) is { } problem ? throw new SourceFileException(fileName, "", problem.TrimEnd('.'), "Correct it") : rules;
        }
        catch (Exception e) when (e is JsonException or NotSupportedException or InvalidOperationException)
        {
            string where = (e as JsonException)?.Path is { Length: > 0 } path ? path : "";
            string words = string.Join(", ", IntakeMendKinds.All.Select(m => m.Word));
            throw new SourceFileException(fileName, where, "it cannot be read as rules", $"Write it as {{\"mends\":[{{\"mend\":\"units\",\"factor\":0.01}}]}}; mends are {words}", e);
        }
    }

    /// <summary>The bytes of a rules file.</summary>
    public static byte[] Write(IntakeRules rules) => JsonSerializer.SerializeToUtf8Bytes(rules, BuildJson.Indented);
}
