namespace Crumpet.Core.Intake;

/// <summary>What an object is for.</summary>
public enum Side
{
    /// <summary>Not told by its name or its file's name.</summary>
    Unknown,

    /// <summary>What the engine draws; maps are baked onto it.</summary>
    Low,

    /// <summary>What is baked from.</summary>
    High,
}

/// <summary>Reads part and side from object names.</summary>
public static class Sides
{
    /// <summary>The pattern a kit starts with.</summary>
    public const string DefaultPattern = "{part}_{side}";

    /// <summary>The words that stand for sides.</summary>
    public static IReadOnlyList<string> Words { get; } = ["low", "high"];

    /// <summary>A naming pattern whose <c>{side}</c> takes only the side words.</summary>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static Convention Convention(string pattern) =>
        Intake.Convention.Parse(pattern, ["part", "side"], new Dictionary<string, IReadOnlyList<string>> { ["side"] = Words });

    /// <summary>Side a word stands for, case ignored.</summary>
    public static Side OfWord(string word) =>
        word.Equals("low", StringComparison.OrdinalIgnoreCase) ? Side.Low : word.Equals("high", StringComparison.OrdinalIgnoreCase) ? Side.High : Side.Unknown;

    /// <summary>Side that a file's name tells by one of the words at its end, after a separator.</summary>
    public static Side OfFileName(string fileName)
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        int cut = stem.LastIndexOfAny(['_', '-', '.', ' ']);
        return OfWord(stem[(cut + 1)..]);
    }
}
