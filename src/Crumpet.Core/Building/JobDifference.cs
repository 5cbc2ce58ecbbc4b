using System.Text.Json;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Building;

/// <summary>Says why a job has to be worked: which setting or input is another than when it was last worked.</summary>
internal static class JobDifference
{
    private const int MostSaid = 3;
    private const int LongestValue = 24;

    /// <summary>Why, in a few words.</summary>
    /// <param name="node">A job that is known and has no result.</param>
    /// <param name="last">Jobs as they were.</param>
    public static string Why(JobNode node, LastGraph last)
    {
        var job = node.Job!;
        if (last.Find(node.Name, out bool wasThere) is not { } before)
            return wasThere ? "its last result is no longer kept" : "it is new";
        if (before.Key == job.Key)
            return "its result is no longer kept";
        var said = new List<string>();
        if (before.Version != job.Version)
            said.Add($"Crumpet works it another way since version {job.Version} of it");
        using (JsonDocument was = JsonDocument.Parse(before.Settings), now = JsonDocument.Parse(job.Settings))
            Compare("", was.RootElement, now.RootElement, said);
        var files = before.Inputs.ToDictionary(i => i.Name, i => i.Sha256, StringComparer.Ordinal);
        foreach (var input in job.Inputs)
        {
            if (!files.Remove(input.Name, out string? sha))
                said.Add($"{input.Name} is new");
            else if (sha != input.Sha256)
                said.Add($"{input.Name} changed");
        }
        said.AddRange(files.Keys.Select(name => $"{name} is gone"));
        return said.Count == 0 ? "the order of what it takes changed"
            : said.Count <= MostSaid ? string.Join(", ", said)
            : $"{string.Join(", ", said.Take(MostSaid))} and {said.Count - MostSaid} more";
    }

    private static void Compare(string name, JsonElement was, JsonElement now, List<string> said)
    {
        if (was.ValueKind == JsonValueKind.Object && now.ValueKind == JsonValueKind.Object)
        {
            var before = was.EnumerateObject().ToDictionary(p => p.Name, p => p.Value, StringComparer.Ordinal);
            foreach (var property in now.EnumerateObject())
            {
                string inner = name.Length > 0 ? $"{name} {PlanWords.InWords(property.Name)}" : PlanWords.InWords(property.Name);
                if (before.Remove(property.Name, out var old))
                    Compare(inner, old, property.Value, said);
                else
                    said.Add($"{inner} is new");
            }
            said.AddRange(before.Keys.Select(gone => $"{(name.Length > 0 ? $"{name} " : "")}{PlanWords.InWords(gone)} is gone"));
        }
        else if (was.GetRawText() != now.GetRawText())
        {
            string from = Value(was), to = Value(now);
            said.Add(from.Length > 0 && to.Length > 0 ? $"{name} {from} → {to}" : $"{name} changed");
        }
    }

    private static string Value(JsonElement value) => value.ValueKind switch
    {
        JsonValueKind.Null => "none",
        JsonValueKind.True => "on",
        JsonValueKind.False => "off",
        JsonValueKind.Number => value.GetRawText(),
        JsonValueKind.String when value.GetString()!.Length <= LongestValue => value.GetString()!,
        _ => "",
    };
}
