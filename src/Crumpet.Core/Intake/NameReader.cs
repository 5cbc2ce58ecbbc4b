using Crumpet.Core.Checking;

namespace Crumpet.Core.Intake;

/// <summary>What a name says.</summary>
/// <param name="Part">Part the object belongs to.</param>
/// <param name="Side">Its side.</param>
/// <param name="Word">The word that says so, as it stands in the name.</param>
/// <param name="Detail">What tells it from other objects of the same part and side; often empty.</param>
public sealed record NameReading(string Part, Side Side, string Word, string Detail);

/// <summary>Reads and writes object names by a pattern and the kit's rules.</summary>
public sealed class NameReader
{
    // Sides that need no other words.
    private static readonly string[] FixedWords = ["hull", "lod1", "lod2", "lod3", "lod4", "lod5", "aside"];
    private readonly NameRules rules;

    private NameReader(Convention convention, NameRules rules)
    {
        Convention = convention;
        this.rules = rules;
    }

    /// <summary>The pattern.</summary>
    public Convention Convention { get; }

    /// <summary>How parts are told apart.</summary>
    public StringComparer PartComparer => rules.IgnoresCase ? StringComparer.OrdinalIgnoreCase : StringComparer.Ordinal;

    /// <summary>Makes a reader.</summary>
    /// <param name="pattern">Pattern with <c>{part}</c>, <c>{side}</c> and, where wanted, <c>{detail}</c>.</param>
    /// <param name="rules">Rules of the kit.</param>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static NameReader Create(string pattern, NameRules rules)
    {
        string[] words = [.. rules.Low, .. rules.High, .. rules.Cage, .. FixedWords];
        return new NameReader(Convention.Parse(pattern, ["part", "side"], new Dictionary<string, IReadOnlyList<string>> { ["side"] = words }), rules);
    }

    /// <summary>What a name says, or null where it says nothing.</summary>
    public NameReading? Read(string name)
    {
        string bare = Bare(name);
        if (Convention.ReadAnyCase(bare) is { } fields)
            return new NameReading(PartOf(fields["part"]), SideOf(fields["side"]), fields["side"], fields.GetValueOrDefault("detail", ""));
        return Found(bare) is { } word ? new NameReading(PartOf(word.Rest(bare)), SideOf(word.Of(bare)), word.Of(bare), "") : null;
    }

    /// <summary>How a name is read, or which character breaks it; characters count from the name's first, an ignored prefix included.</summary>
    public NameTrace Trace(string name)
    {
        string bare = Bare(name);
        var trace = Convention.Trace(bare, ignoreCase: true);
        if (trace.BrokenAt >= 0 && Found(bare) is { } word)
            trace = new NameTrace([.. word.Pieces(bare)], -1, "");
        int skipped = name.Length - bare.Length;
        if (skipped == 0)
            return trace;
        return trace.BrokenAt >= 0
            ? trace with { BrokenAt = trace.BrokenAt + skipped }
            : trace with { Pieces = [new NamePiece("", 0, skipped), .. trace.Pieces.Select(p => p with { Start = p.Start + skipped })] };
    }

    /// <summary>The name of an object.</summary>
    /// <param name="part">Part.</param>
    /// <param name="side">Low, high or cage.</param>
    /// <param name="detail">What tells it from others of the part and side; may be empty.</param>
    public string Write(string part, Side side, string detail = "") => Write(part, WordOf(side), detail);

    /// <summary>The name of an object.</summary>
    /// <param name="part">Part.</param>
    /// <param name="word">Word for its side.</param>
    /// <param name="detail">What tells it from others of the part and side; may be empty.</param>
    public string Write(string part, string word, string detail = "") =>
        Convention.Write(Convention.Fields.ToDictionary(f => f, f => f switch { "part" => part, "side" => word, "detail" => detail, _ => "" }));

    /// <summary>The name of an object that no other has, numbered where it must be; null where the pattern has no detail to number by.</summary>
    /// <param name="part">Part.</param>
    /// <param name="side">Low, high or cage.</param>
    /// <param name="detail">What tells it from others of the part and side; may be empty.</param>
    /// <param name="isTaken">Whether another object has a name.</param>
    public string? WriteFree(string part, Side side, string detail, Func<string, bool> isTaken)
    {
        string name = Write(part, side, detail);
        for (int number = 2; isTaken(name); number++)
        {
            string next = Write(part, side, $"{(detail.Length > 0 ? detail + "_" : "")}{number}");
            if (next == name)
                return null;
            name = next;
        }
        return name;
    }

    /// <summary>The word that is written for a side.</summary>
    public string WordOf(Side side) => side switch
    {
        Side.Low => rules.Low[0],
        Side.High => rules.High[0],
        Side.Cage => rules.Cage[0],
        _ => Sides.Word(side),
    };

    /// <summary>The name without a prefix that the kit reads over.</summary>
    public string Bare(string name)
    {
        string? prefix = rules.IgnoredPrefixes.FirstOrDefault(p => p.Length > 0 && name.Length > p.Length
            && name.StartsWith(p, rules.IgnoresCase ? StringComparison.OrdinalIgnoreCase : StringComparison.Ordinal));
        return prefix is null ? name : name[prefix.Length..];
    }

    /// <summary>Side a word stands for, case ignored.</summary>
    public Side SideOf(string word) => rules.Low.Contains(word, StringComparer.OrdinalIgnoreCase) ? Side.Low
        : rules.High.Contains(word, StringComparer.OrdinalIgnoreCase) ? Side.High
        : rules.Cage.Contains(word, StringComparer.OrdinalIgnoreCase) ? Side.Cage
        : Sides.OfWord(word);

    /// <summary>Side that a file's name tells by one of the words: the last, the first, or one between, apart from others by separators or capitals.</summary>
    public Side SideOfFile(string fileName)
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        return SideWord.Find(stem, SideOf) is { } word ? SideOf(word.Of(stem)) : SideOf(stem);
    }

    /// <summary>Which stage for the distance an object is, 1 the finest; 0 where neither its name nor its file's says.</summary>
    public int LevelOf(string name, string fileName)
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        string word = Read(name) is { Side: Side.Lod } reading ? reading.Word : SideWord.Find(stem, SideOf) is { } found ? found.Of(stem) : "";
        return word.Length == 4 && Sides.OfWord(word) == Side.Lod ? word[^1] - '0' : 0;
    }

    /// <summary>Whether an object goes by its file's name: its own says nothing, and the file's tells a side.</summary>
    public bool GoesByFile(string name, string fileName) => rules.FindsWords && Read(name) is null && SideOfFile(fileName) != Side.Unknown;

    /// <summary>What is left of a file's name without the word that tells its side.</summary>
    public string PartOfFile(string fileName)
    {
        string stem = Path.GetFileNameWithoutExtension(fileName);
        return PartOf(SideWord.Find(stem, SideOf) is { } word ? word.Rest(stem) : stem);
    }

    private SideWord? Found(string name) => rules.FindsWords ? SideWord.Find(name, w => IsRuleWord(w) ? SideOf(w) : Side.Unknown) : null;

    private bool IsRuleWord(string word) => rules.Low.Concat(rules.High).Concat(rules.Cage).Concat(FixedWords).Contains(word, StringComparer.OrdinalIgnoreCase);

    private string PartOf(string part) => rules.IgnoresCase ? part.ToLowerInvariant() : part;
}
