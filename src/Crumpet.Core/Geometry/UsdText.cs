namespace Crumpet.Core.Geometry;

/// <summary>Reads a layer of Universal Scene Description in its text form.</summary>
/// <remarks>Source: the published grammar of .usda files, version 1.0.</remarks>
internal sealed class UsdText
{
    private const int DeepestNesting = 200;
    private readonly UsdScanner scan;
    private readonly CancellationToken cancel;
    private int depth;

    private UsdText(byte[] text, string fileName, CancellationToken cancel)
    {
        scan = new UsdScanner(text, text.Length - WithoutMark(text).Length, fileName);
        this.cancel = cancel;
    }

    /// <summary>Whether bytes begin as a layer of this form does.</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => WithoutMark(bytes).StartsWith("#usda"u8);

    /// <summary>Reads a layer.</summary>
    /// <param name="bytes">The file, UTF-8.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <returns>What stands above all its prims, with the layer's own metadata.</returns>
    /// <exception cref="SourceFileException">It breaks the grammar; the line is named.</exception>
    public static UsdPrim Read(byte[] bytes, string fileName, CancellationToken cancel)
    {
        var reader = new UsdText(bytes, fileName, cancel);
        var root = new UsdPrim("") { Specifier = UsdSpecifier.Def };
        reader.scan.Skip();
        if (reader.scan.Peek() == '(')
            reader.ReadMetadata(root.Metadata, root);
        while (reader.scan.Skip())
            reader.ReadStatement(root);
        return root;
    }

    private static ReadOnlySpan<byte> WithoutMark(ReadOnlySpan<byte> bytes) => bytes.StartsWith((ReadOnlySpan<byte>)[0xef, 0xbb, 0xbf]) ? bytes[3..] : bytes;

    /// <summary>One statement within a prim's braces, or at the top.</summary>
    private void ReadStatement(UsdPrim prim)
    {
        string word = scan.ReadWord();
        switch (word)
        {
            case "def" or "over" or "class":
                ReadPrim(prim, word switch { "def" => UsdSpecifier.Def, "over" => UsdSpecifier.Over, _ => UsdSpecifier.Class });
                break;
            case "variantSet":
                ReadVariants(prim);
                break;
            case "reorder":
                scan.ReadWord();
                scan.Expect('=');
                ReadValue();
                break;
            default:
                ReadProperty(prim, word);
                break;
        }
    }

    private void ReadPrim(UsdPrim parent, UsdSpecifier specifier)
    {
        scan.Skip();
        string type = scan.Peek() is '"' or '\'' ? "" : scan.ReadWord();
        var prim = new UsdPrim(scan.ReadString()) { Specifier = specifier, Type = type };
        parent.Add(prim);
        ReadBody(prim);
    }

    private void ReadBody(UsdPrim prim)
    {
        if (++depth > DeepestNesting)
            throw scan.Wrong($"prims are nested more than {DeepestNesting} deep");
        cancel.ThrowIfCancellationRequested();
        scan.Skip();
        if (scan.Peek() == '(')
            ReadMetadata(prim.Metadata, prim);
        scan.Expect('{');
        while (scan.Skip() && scan.Peek() != '}')
            ReadStatement(prim);
        scan.Expect('}');
        depth--;
    }

    private void ReadVariants(UsdPrim prim)
    {
        scan.Skip();
        var set = new Dictionary<string, UsdPrim>(StringComparer.Ordinal);
        prim.Variants[scan.ReadString()] = set;
        scan.Expect('=');
        scan.Expect('{');
        while (scan.Skip() && scan.Peek() != '}')
        {
            var variant = new UsdPrim(scan.ReadString());
            set[variant.Name] = variant;
            ReadBody(variant);
        }
        scan.Expect('}');
    }

    private void ReadProperty(UsdPrim prim, string word)
    {
        bool isDeleted = false;
        while (word is "custom" or "uniform" or "varying" or "prepend" or "append" or "add" or "delete" or "config")
        {
            isDeleted |= word == "delete";
            word = scan.ReadWord();
        }
        string type = word;
        scan.Skip();
        if (scan.Peek() == '[')
        {
            scan.Pass();
            scan.Expect(']');
        }
        string name = scan.ReadWord(), field = "";
        if (scan.Peek() == '.')
        {
            scan.Pass();
            field = scan.ReadWord();
        }
        var property = prim.Property(name);
        if (type != "rel")
            property.Type = type;
        scan.Skip();
        if (scan.Peek() == '=')
        {
            scan.Pass();
            scan.Skip();
            if (field == "timeSamples")
                property.FirstSample = ReadSamples() ?? property.FirstSample;
            else if (ReadValue() is var value && (field == "connect" || type == "rel"))
                property.Targets = isDeleted ? property.Targets : value?.Targets ?? [];
            else if (field.Length == 0)
                property.Value = value;
        }
        scan.Skip();
        if (scan.Peek() == '(')
            ReadMetadata(property.Metadata, null);
    }

    /// <summary>What stands in brackets behind a layer, a prim or a property.</summary>
    private void ReadMetadata(Dictionary<string, UsdValue> metadata, UsdPrim? prim)
    {
        scan.Expect('(');
        while (scan.Skip() && scan.Peek() != ')')
        {
            if (scan.Peek() is '"' or '\'')
            {
                // A comment of the layer's own.
                scan.ReadString();
                continue;
            }
            string key = scan.ReadWord();
            bool isDeleted = key == "delete", isListed = key is "prepend" or "append" or "add" or "delete" or "reorder";
            if (isListed)
                key = scan.ReadWord();
            scan.Expect('=');
            scan.Skip();
            if (key == "variants" && scan.Peek() == '{')
            {
                foreach (var (set, choice) in ReadDictionary())
                {
                    if (choice?.Word is { } chosen)
                        prim?.Chosen.TryAdd(set, chosen);
                }
            }
            else if (ReadValue() is { } value && !isDeleted)
            {
                metadata[key] = isListed && metadata.TryGetValue(key, out var former)
                    ? value with { Targets = [.. former.Targets, .. value.Targets], Words = [.. former.Words, .. value.Words] } : value;
            }
        }
        scan.Expect(')');
    }

    /// <summary>The value at the earliest time.</summary>
    private UsdValue? ReadSamples()
    {
        scan.Expect('{');
        UsdValue? first = null;
        double earliest = double.PositiveInfinity;
        while (scan.Skip() && scan.Peek() != '}')
        {
            double time = scan.ReadNumber();
            scan.Expect(':');
            scan.Skip();
            if (ReadValue() is { } value && time < earliest)
                (first, earliest) = (value, time);
            scan.Separator();
        }
        scan.Expect('}');
        return first;
    }

    private List<(string Key, UsdValue? Value)> ReadDictionary()
    {
        if (++depth > DeepestNesting)
            throw scan.Wrong($"values are nested more than {DeepestNesting} deep");
        var found = new List<(string, UsdValue?)>();
        scan.Expect('{');
        while (scan.Skip() && scan.Peek() != '}')
        {
            // Its type, which has brackets where it is an array.
            if (scan.Peek() is not ('"' or '\''))
                scan.ReadWord();
            scan.Skip();
            if (scan.Peek() == '[')
            {
                scan.Pass();
                scan.Expect(']');
                scan.Skip();
            }
            string key = scan.Peek() is '"' or '\'' ? scan.ReadString() : scan.ReadWord();
            scan.Expect('=');
            scan.Skip();
            found.Add((key, ReadValue()));
            scan.Separator();
        }
        scan.Expect('}');
        depth--;
        return found;
    }

    /// <summary>A value; null where it is blocked, and of dictionaries, which nothing here is read from.</summary>
    private UsdValue? ReadValue()
    {
        scan.Skip();
        if (scan.Peek() == '{')
        {
            ReadDictionary();
            return null;
        }
        var numbers = new List<double>();
        var words = new List<string>();
        var targets = new List<UsdTarget>();
        int items = 0;
        bool isBlocked = false;
        if (scan.Peek() == '[')
        {
            scan.Pass();
            while (scan.Skip() && scan.Peek() != ']')
            {
                if ((++items & 0xffff) == 0)
                    cancel.ThrowIfCancellationRequested();
                isBlocked |= !ReadItem(numbers, words, targets);
                scan.Separator();
            }
            scan.Expect(']');
        }
        else
        {
            items = 1;
            isBlocked = !ReadItem(numbers, words, targets);
        }
        if (isBlocked)
            return null;
        int width = items == 0 || numbers.Count == 0 ? 1 : numbers.Count / items;
        if (numbers.Count > 0 && (numbers.Count != (long)width * items || width == 0))
            throw scan.Wrong("items of an array have different numbers of values");
        return new UsdValue { Numbers = [.. numbers], Width = width, Words = words, Targets = targets };
    }

    /// <summary>One item of a value.</summary>
    /// <returns>False where it is blocked.</returns>
    private bool ReadItem(List<double> numbers, List<string> words, List<UsdTarget> targets)
    {
        switch (scan.Peek())
        {
            case '(':
                if (++depth > DeepestNesting)
                    throw scan.Wrong($"values are nested more than {DeepestNesting} deep");
                scan.Pass();
                while (scan.Skip() && scan.Peek() != ')')
                {
                    ReadItem(numbers, words, targets);
                    scan.Separator();
                }
                scan.Expect(')');
                depth--;
                return true;
            case '"' or '\'':
                words.Add(scan.ReadString());
                return true;
            case '@':
                string asset = scan.ReadAsset();
                scan.Skip();
                targets.Add(new UsdTarget(asset, scan.Peek() == '<' ? scan.ReadPath() : ""));
                words.Add(asset);
                SkipOffset();
                return true;
            case '<':
                targets.Add(new UsdTarget("", scan.ReadPath()));
                SkipOffset();
                return true;
            case (>= '0' and <= '9') or '-' or '+' or '.':
                numbers.Add(scan.ReadNumber());
                return true;
            default:
                string word = scan.ReadWord();
                if (word is "inf" or "nan")
                    numbers.Add(word == "inf" ? double.PositiveInfinity : double.NaN);
                else if (word is "true" or "false")
                    numbers.Add(word == "true" ? 1 : 0);
                else if (word != "None")
                    words.Add(word);
                return word != "None";
        }
    }

    /// <summary>Times that a referenced layer is moved by.</summary>
    private void SkipOffset()
    {
        scan.Skip();
        if (scan.Peek() == '(')
            ReadMetadata(new Dictionary<string, UsdValue>(StringComparer.Ordinal), null);
    }
}
