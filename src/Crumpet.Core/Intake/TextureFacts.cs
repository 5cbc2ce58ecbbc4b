using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>What is known of one texture.</summary>
/// <param name="File">File name with its folders.</param>
/// <param name="Format">Its file format.</param>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
/// <param name="Bits">Bits a channel.</param>
/// <param name="Channels">Channels stored.</param>
/// <param name="ChannelsUsed">What the channels hold, in words.</param>
/// <param name="Kind">What it most likely is.</param>
/// <param name="KindBy">What told that: a name, a material's slot, the content, or the artist.</param>
/// <param name="Green">For a normal map, which way green runs; null where its content does not tell.</param>
/// <param name="UsedBy">Materials that use it.</param>
public sealed record TextureReport(
    string File, string Format, int Width, int Height, int Bits, int Channels, string ChannelsUsed, TextureKind Kind, string KindBy, GreenDirection? Green,
        IReadOnlyList<string> UsedBy)
{
    /// <summary>What its numbers mean: colours are stored for the eye, everything else as plain numbers.</summary>
    public ColourMeaning Meaning => Kind switch
    {
        TextureKind.BaseColour or TextureKind.Emission => ColourMeaning.Srgb,
        TextureKind.Normal => ColourMeaning.Normal,
        TextureKind.Unknown when Channels >= 3 && Bits < 32 => ColourMeaning.Srgb,
        _ => ColourMeaning.Linear,
    };

    /// <summary>Whether red, green and blue are equal everywhere, or there is one channel.</summary>
    public bool IsGrey { get; init; }

    /// <summary>Whether its alpha hides something somewhere.</summary>
    public bool HasOpacity { get; init; }

    /// <summary>Name of the picture its mends made, in the station's files; null where none changed it.</summary>
    public string? MendedFile { get; init; }
}

/// <summary>Least and greatest value of a picture's alpha.</summary>
public sealed record AlphaRange(float Least, float Greatest)
{
    /// <summary>Whether the alpha hides nothing anywhere.</summary>
    public bool IsAllWhite => Least >= 1;
}

/// <summary>What the numbers of a picture look like.</summary>
/// <param name="IsGrey">Whether red, green and blue are equal everywhere.</param>
/// <param name="Alpha">null where there is no alpha; otherwise its least and greatest value.</param>
/// <param name="NormalShare">Share of pixels whose colour, read as a vector, is near length 1 and looks outward.</param>
/// <param name="UnitShare">Among these, the share whose length is within 2 % of 1.</param>
/// <param name="Saturation">Mean difference between the largest and smallest channel.</param>
/// <param name="Ends">Share of grey values within 5 % of black or white.</param>
/// <param name="Colours">Distinct colours among the looked-at pixels, up to 64.</param>
/// <param name="Mean">Mean of the first channel.</param>
/// <param name="Green">Which way green runs if it is a normal map, or null.</param>
public sealed record PictureContent(bool IsGrey, AlphaRange? Alpha, double NormalShare, double UnitShare, double Saturation, double Ends, int Colours,
    double Mean, GreenDirection? Green)
{
    /// <summary>What the channels hold, in words.</summary>
    public string Words(int channels)
    {
        string colour = channels <= 2 ? "grey" : IsGrey ? "RGB, all alike" : "RGB";
        if (Alpha is not { } alpha)
            return colour;
        string how = alpha.Least == alpha.Greatest ? alpha.Least >= 1 ? "all white" : alpha.Least <= 0 ? "all black"
            : FormattableString.Invariant($"{alpha.Least:0.##} all over") : FormattableString.Invariant($"{alpha.Least:0.##} to {alpha.Greatest:0.##}");
        return $"{colour}, alpha {how}";
    }
}

/// <summary>Says what a texture is by its name, by the slots that use it, and by its content.</summary>
public static class TextureKinds
{
    // Gloss is what roughness is not.
    private static readonly string[] GlossWords = ["gloss", "glossiness", "smoothness"];

    // A letter a channel: occlusion (also a for ambient), roughness, metalness.
    private static readonly string[] Orders = ["orm", "rma", "arm", "mra", "rom", "mro"];
    private const string UsualOrder = "orm", UnsaidFirst = "-rm";

    /// <summary>What told a kind where a material's slot did.</summary>
    internal const string BySlot = "the material's slot";

    // What textures are called; words of two are written as one, with a capital or with anything between. Letters stand for themselves alone.
    private static readonly (TextureKind Kind, string[] Phrases, string[] Letters)[] Named =
    [
        (TextureKind.Normal, ["normal", "normals", "normal map", "norm", "nrm", "nor"], ["N"]),
        (TextureKind.Height, ["height", "height map", "bump", "disp", "displacement", "depth"], ["H"]),
        (TextureKind.Roughness, ["roughness", "rough", .. GlossWords], ["R"]),
        (TextureKind.Metalness, ["metalness", "metallic", "metal"], ["M"]),
        (TextureKind.Occlusion, ["ao", "ambient occlusion", "occlusion", "ambient"], []),
        (TextureKind.Opacity, ["opacity", "alpha", "mask", "cutout"], ["O"]),
        (TextureKind.Emission, ["emission", "emissive", "glow"], ["E"]),
        (TextureKind.Id, ["id", "ids", "idmap"], []),
        (TextureKind.Masks, ["masks", "packed", .. Orders], []),
        (TextureKind.BaseColour,
            ["base colour", "base color", "colour", "color", "colour map", "color map", "albedo", "diffuse", "diff", "base", "col"], ["BC", "D", "C"]),
    ];

    // Words as names that are read by words have them: a phrase is one word there.
    private static readonly (TextureKind Kind, string[] Words)[] Words =
        [.. Named.Select(n => (n.Kind, n.Phrases.Select(p => p.Replace(" ", "", StringComparison.Ordinal)).ToArray()))];

    /// <summary>All ways in which a name may say that a texture is of a kind: small, capital, with and without something between words.</summary>
    public static IReadOnlyList<string> Spellings(TextureKind kind)
    {
        var found = new SortedSet<string>(StringComparer.Ordinal);
        foreach (var (_, phrases, letters) in Named.Where(n => n.Kind == kind))
        {
            found.UnionWith(letters);
            // Gloss is not told from roughness by a name alone where what it holds counts.
            foreach (string[] words in phrases.Where(p => !GlossWords.Contains(p)).Select(p => p.Split(' ')))
            {
                string[] capitals = [.. words.Select(w => char.ToUpperInvariant(w[0]) + w[1..])];
                foreach (string between in words.Length == 1 ? (ReadOnlySpan<string>)[""] : ["", "_", "-", " ", "."])
                {
                    string small = string.Join(between, words);
                    found.UnionWith([small, small.ToUpperInvariant(), string.Join(between, capitals), string.Join(between, capitals.Skip(1).Prepend(words[0]))]);
                    found.Add(char.ToUpperInvariant(small[0]) + small[1..]);
                }
            }
        }
        return [.. found];
    }

    /// <summary>The kind a file name tells by one of its words, or unknown.</summary>
    public static TextureKind ByName(string file)
    {
        var words = WordsOf(file);
        return Words.FirstOrDefault(n => n.Words.Any(words.Contains)).Kind;
    }

    /// <summary>Whether a file name says that full is smooth, not rough.</summary>
    public static bool IsGloss(string file) => GlossWords.Any(WordsOf(file).Contains);

    /// <summary>What a texture's file name says beside its kind: what textures of one set have in common; empty where it says no more.</summary>
    public static string SetOf(string file)
    {
        var kinds = Words.SelectMany(n => n.Words).ToHashSet(StringComparer.Ordinal);
        return string.Join("_", PartsOf(file).Where(w => !kinds.Contains(w.ToLowerInvariant())));
    }

    /// <summary>What a texture's channels hold, a kind and a channel each, where several maps share one picture; otherwise its own kind alone.</summary>
    public static IEnumerable<(TextureKind Kind, int Channel)> InChannels(TextureReport texture)
    {
        var words = WordsOf(texture.File);
        bool saysMetal = Words.Single(n => n.Kind == TextureKind.Metalness).Words.Any(words.Contains);
        bool isShared = texture.Channels >= 3 && !texture.IsGrey
            && (texture.Kind == TextureKind.Masks || (texture.Kind == TextureKind.Roughness && (texture.KindBy == BySlot || saysMetal)));
        if (!isShared)
            return [(texture.Kind, 0)];
        // A slot for roughness says nothing of the first channel.
        string order = Orders.FirstOrDefault(words.Contains) ?? (texture.Kind == TextureKind.Masks ? UsualOrder : UnsaidFirst);
        return order.Select((letter, channel) => (letter switch
        {
            'r' => TextureKind.Roughness,
            'm' => TextureKind.Metalness,
            '-' => TextureKind.Unknown,
            _ => TextureKind.Occlusion,
        }, channel));
    }

    private static HashSet<string> WordsOf(string file) => [.. PartsOf(file).Select(w => w.ToLowerInvariant())];

    private static string[] PartsOf(string file)
    {
        string stem = Path.GetFileNameWithoutExtension(file);
        // Words part at separators and where lower case turns to upper.
        string parted = System.Text.RegularExpressions.Regex.Replace(stem, "(?<=[a-z0-9])(?=[A-Z])", "_", System.Text.RegularExpressions.RegexOptions.None,
            TimeSpan.FromSeconds(1));
        return parted.Split(['_', '-', '.', ' '], StringSplitOptions.RemoveEmptyEntries);
    }

    /// <summary>The kind the numbers look like.</summary>
    public static TextureKind ByContent(PictureContent content, int channels)
    {
        if (!content.IsGrey && channels >= 3)
        {
            if (content.NormalShare > 0.95)
                return TextureKind.Normal;
            return content.Colours <= 32 && content.Saturation > 0.3 ? TextureKind.Id : TextureKind.BaseColour;
        }
        return content.Ends > 0.9 && content.Mean is > 0.02 and < 0.98 ? TextureKind.Metalness : TextureKind.Unknown;
    }
}
