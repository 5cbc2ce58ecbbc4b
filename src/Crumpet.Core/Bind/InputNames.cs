using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Bind;

/// <summary>Which files have the names of a material's inputs, and which come near them.</summary>
/// <param name="pattern">Pattern by which names are read.</param>
/// <param name="material">The material.</param>
internal sealed class InputNames(string pattern, BindMaterial material)
{
    // Names this short are others with one letter changed.
    private const int ShortName = 8;
    private readonly Dictionary<MaterialInput, (Convention Own, Convention Called)> readers = [];

    /// <summary>Files that are named for an input to the letter; where there are none, those that say in other words what it takes.</summary>
    public (IReadOnlyList<BindTexture> Files, BindReason Reason) Exact(MaterialInput input, IReadOnlyList<BindTexture> textures)
    {
        var (own, called) = Readers(input);
        BindTexture[] named = [.. textures.Where(t => own.Read(t.Stem) is not null)];
        return named.Length > 0 ? (named, BindReason.Named) : ([.. textures.Where(t => called.Read(t.Stem) is not null)], BindReason.Called);
    }

    /// <summary>The name that is written for an input.</summary>
    public string Wanted(MaterialInput input) => Written(input.Map, material.Keys[0]).FirstOrDefault(input.Map);

    /// <summary>Files whose names come near, why they do not fit, and by how many letters.</summary>
    public (IReadOnlyList<BindTexture> Files, BindReason Reason, int Distance) Near(MaterialInput input, IReadOnlyList<BindTexture> left)
    {
        var (own, called) = Readers(input);
        BindTexture[] otherCase = [.. left.Where(t => own.ReadAnyCase(t.Stem) is not null || called.ReadAnyCase(t.Stem) is not null)];
        if (otherCase.Length > 0)
            return (otherCase, BindReason.OtherCase, 0);
        var names = WordsOf(input).SelectMany(word => material.Keys.SelectMany(key => Written(word, key))).Distinct(StringComparer.Ordinal).ToArray();
        var bare = names.Select(Bare).ToHashSet(StringComparer.Ordinal);
        BindTexture[] otherSeparator = [.. left.Where(t => bare.Contains(Bare(t.Stem)))];
        if (otherSeparator.Length > 0)
            return (otherSeparator, BindReason.OtherSeparator, 0);
        // Only words that are written out: of single letters each is near each other.
        string[] whole = [.. input.Maps().SelectMany(word => material.Keys.SelectMany(key => Written(word, key)))];
        var near = left.Select(t => (Texture: t, Distance: whole.Length == 0 ? int.MaxValue : whole.Min(name => NearestWord.Distance(name, t.Stem))))
            .Where(n => n.Distance <= (n.Texture.Stem.Length <= ShortName ? 1 : 2)).OrderBy(n => n.Distance).ToArray();
        return near.Length > 0 ? ([.. near.Select(n => n.Texture)], BindReason.LetterOff, near[0].Distance) : ([], BindReason.NoFile, 0);
    }

    private static string Bare(string name) => string.Concat(name.Where(char.IsLetterOrDigit)).ToLowerInvariant();

    /// <summary>All words that an input's files may have.</summary>
    private static IEnumerable<string> WordsOf(MaterialInput input) => input.Maps().Concat(Called(input));

    // What feeds one slot, or several of one picture, is called by its kind.
    private static IReadOnlyList<string> Called(MaterialInput input) => input.Fills.Count == 0 ? []
        : TextureKinds.Spellings(input.Fills.Count(f => f.Slot.Channels == 1) > 1 ? TextureKind.Masks : input.Fills[0].Slot.Kind);

    private IEnumerable<string> Written(string word, string key) => Convention.Parse(pattern, [])
        .WriteAll(Binder.MaterialFields.ToDictionary(f => f, _ => material.Name).Append(new(Binder.AssetField, key)).Append(new(Binder.MapField, word))
            .ToDictionary(p => p.Key, p => p.Value));

    private (Convention Own, Convention Called) Readers(MaterialInput input)
    {
        if (readers.TryGetValue(input, out var known))
            return known;
        return readers[input] = (Reader([.. input.Maps()]), Reader([.. Called(input)]));
    }

    private Convention Reader(IReadOnlyList<string> maps)
    {
        var words = Binder.MaterialFields.ToDictionary(f => f, _ => (IReadOnlyList<string>)[material.Name, .. material.Keys]);
        words[Binder.AssetField] = material.Keys;
        // A word that nothing can be, where there are none.
        words[Binder.MapField] = maps.Count > 0 ? maps : ["\0"];
        return Convention.Parse(pattern, [Binder.MapField], words);
    }
}
