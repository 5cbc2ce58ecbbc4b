using System.Buffers.Binary;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Reads a layer of Universal Scene Description in its binary form, called a crate.</summary>
/// <remarks>Source: AOUSD core specification, chapter on the binary format; versions 0.4 to 0.12, which is all since 2017.</remarks>
internal sealed class UsdCrate
{
    private const int DeepestPath = 1000;
    private const int LowestMinor = 4, HighestMinor = 12;

    // What paths may grow to: so many letters in any case, and so many more a byte of the file.
    private const long AlwaysLetters = 1 << 24;
    private const long MostLettersAByte = 64;

    private readonly byte[] file;
    private readonly string fileName;
    private readonly CancellationToken cancel;
    private readonly UsdCrateValues values;
    private readonly Dictionary<string, (long Start, long Size)> sections = new(StringComparer.Ordinal);

    private UsdCrate(byte[] file, string fileName, CancellationToken cancel)
    {
        (this.file, this.fileName, this.cancel) = (file, fileName, cancel);
        if (file.Length < 88)
            throw Cut("its header is cut");
        if (file[8] != 0 || file[9] is < LowestMinor or > HighestMinor)
            throw new SourceFileException(fileName, "", $"it is a binary layer of version {file[8]}.{file[9]}, which is not read", "Export it as text, .usda");
        values = new UsdCrateValues(file, file[9]);
    }

    /// <summary>Whether bytes begin as a layer of this form does.</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith("PXR-USDC"u8);

    /// <summary>Reads a layer.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <returns>What stands above all its prims, with the layer's own metadata.</returns>
    /// <exception cref="SourceFileException">It is cut or damaged.</exception>
    public static UsdPrim Read(byte[] bytes, string fileName, CancellationToken cancel)
    {
        try
        {
            return new UsdCrate(bytes, fileName, cancel).ReadLayer();
        }
        catch (Exception e) when (e is ArgumentException or IndexOutOfRangeException or OverflowException or InvalidDataException)
        {
            throw new SourceFileException(fileName, "", "it cannot be read as a binary layer", "Export it again; it may have been cut in transfer", e);
        }
    }

    private UsdPrim ReadLayer()
    {
        ReadSections();
        values.Tokens = ReadTokens();
        values.Strings = Section("STRINGS") is { } strings ? ReadStrings(strings) : [];
        var fields = ReadFields();
        int[] sets = ReadSets();
        values.Paths = ReadPaths();
        var root = new UsdPrim("") { Specifier = UsdSpecifier.Def };
        var specs = ReadSpecs().Where(s => s.Path >= 0 && s.Path < values.Paths.Length && values.Paths[s.Path] is not null)
            .Select(s => (Path: values.Paths[s.Path]!, s.Set, s.Type)).ToArray();
        // Parents come before what is below them, whatever the order in the file; properties after all prims.
        foreach (var (path, set, type) in specs.Where(s => s.Type is UsdCrateSpec.Root or UsdCrateSpec.Prim or UsdCrateSpec.Variant)
            .OrderBy(s => s.Path.Count(c => c is '/' or '{')))
            Fill(type == UsdCrateSpec.Root ? root : PrimAt(root, path), Fields(set));
        foreach (var (path, set, type) in specs.Where(s => s.Type is UsdCrateSpec.Attribute or UsdCrateSpec.Relationship))
        {
            int dot = path.LastIndexOf('.');
            if (dot > 0)
                Fill(PrimAt(root, path[..dot]).Property(path[(dot + 1)..]), Fields(set));
        }
        Order(root);
        return root;

        IEnumerable<(string Name, ulong Value)> Fields(int set)
        {
            for (; set >= 0 && set < sets.Length && sets[set] != -1; set++)
            {
                if (sets[set] < 0 || sets[set] >= fields.Length)
                    throw Cut("a field is not there");
                yield return fields[sets[set]];
            }
        }
    }

    private void Fill(UsdPrim prim, IEnumerable<(string Name, ulong Value)> fields)
    {
        cancel.ThrowIfCancellationRequested();
        foreach (var (name, rep) in fields)
        {
            switch (name)
            {
                case "specifier":
                    prim.Specifier = (rep & 0xff) switch { 0 => UsdSpecifier.Def, 2 => UsdSpecifier.Class, _ => UsdSpecifier.Over };
                    break;
                case "typeName":
                    prim.Type = values.Read(rep)?.Word ?? "";
                    break;
                case "variantSelection":
                    foreach (var (set, choice) in values.ReadChoices(rep))
                        prim.Chosen.TryAdd(set, choice);
                    break;
                case "inheritPaths" or "specializes":
                    if (values.Read(rep) is { } classes)
                        prim.Metadata[name == "inheritPaths" ? "inherits" : name] = classes;
                    break;
                default:
                    if (values.Read(rep) is { } value)
                        prim.Metadata[name] = value;
                    break;
            }
        }
    }

    private void Fill(UsdProperty property, IEnumerable<(string Name, ulong Value)> fields)
    {
        cancel.ThrowIfCancellationRequested();
        foreach (var (name, rep) in fields)
        {
            switch (name)
            {
                case "typeName":
                    property.Type = (values.Read(rep)?.Word ?? "").TrimEnd('[', ']');
                    break;
                case "default":
                    property.Value = values.Read(rep);
                    break;
                case "timeSamples":
                    property.FirstSample = values.ReadFirstSample(rep);
                    break;
                case "connectionPaths" or "targetPaths":
                    property.Targets = values.Read(rep)?.Targets;
                    break;
                default:
                    if (values.Read(rep) is { } value)
                        property.Metadata[name] = value;
                    break;
            }
        }
    }

    /// <summary>The prim at a path, made where it is not there; pieces in braces are variants.</summary>
    private static UsdPrim PrimAt(UsdPrim root, string path)
    {
        var prim = root;
        for (int at = 0; at < path.Length;)
        {
            if (path[at] == '{')
            {
                int end = path.IndexOf('}', at), equals = path.IndexOf('=', at);
                if (end < 0 || equals < 0 || equals > end)
                    throw new InvalidDataException();
                string set = path[(at + 1)..equals], name = path[(equals + 1)..end];
                if (!prim.Variants.TryGetValue(set, out var variants))
                    prim.Variants.Add(set, variants = new(StringComparer.Ordinal));
                if (!variants.TryGetValue(name, out var variant))
                    variants.Add(name, variant = new UsdPrim(name));
                (prim, at) = (variant, end + 1);
            }
            else
            {
                int start = path[at] == '/' ? at + 1 : at, end = path.AsSpan(start).IndexOfAny('/', '{') is var next && next < 0 ? path.Length : start + next;
                if (end > start)
                {
                    string name = path[start..end];
                    if (prim.Child(name) is not { } child)
                        prim.Add(child = new UsdPrim(name));
                    prim = child;
                }
                at = Math.Max(end, at + 1);
            }
        }
        return prim;
    }

    /// <summary>Brings children into the order that was written.</summary>
    private static void Order(UsdPrim root)
    {
        var open = new Stack<UsdPrim>([root]);
        while (open.TryPop(out var prim))
        {
            if (prim.Metadata.TryGetValue("primChildren", out var order))
                prim.Sort(order.Words);
            foreach (var child in prim.Children.Concat(prim.Variants.Values.SelectMany(v => v.Values)))
                open.Push(child);
        }
    }

    private void ReadSections()
    {
        var cursor = new UsdCrateCursor(file, 0, file.Length);
        cursor.Seek(BinaryPrimitives.ReadInt64LittleEndian(file.AsSpan(16)));
        for (int left = cursor.Count(32); left > 0; left--)
        {
            string name = Encoding.ASCII.GetString(cursor.Bytes(16)).TrimEnd('\0');
            long start = cursor.Long(), size = cursor.Long();
            if (start < 0 || size < 0 || start > file.Length - size)
                throw Cut($"its section {name} is cut");
            sections[name] = (start, size);
        }
    }

    private (long Start, long Size)? Section(string name) => sections.TryGetValue(name, out var section) ? section : null;

    private UsdCrateCursor Cursor(string name) => Section(name) is { } section ? new UsdCrateCursor(file, section.Start, section.Start + section.Size)
        : throw Cut($"it has no section {name}");

    private string[] ReadTokens()
    {
        var cursor = Cursor("TOKENS");
        int count = cursor.Count(0);
        byte[] text = cursor.Unpacked(cursor.Long());
        if (count > text.Length)
            throw Cut("its words are cut");
        var tokens = new string[count];
        int at = 0;
        for (int i = 0; i < count; i++)
        {
            int length = text.AsSpan(at).IndexOf((byte)0);
            if (length < 0)
                throw Cut("its words are cut");
            tokens[i] = Encoding.UTF8.GetString(text, at, length);
            at += length + 1;
        }
        return tokens;
    }

    private int[] ReadStrings((long Start, long Size) section)
    {
        var cursor = new UsdCrateCursor(file, section.Start, section.Start + section.Size);
        int count = cursor.Count(4);
        return [.. Enumerable.Range(0, count).Select(_ => cursor.Int())];
    }

    private (string Name, ulong Value)[] ReadFields()
    {
        var cursor = Cursor("FIELDS");
        int count = cursor.Count(0);
        int[] names = cursor.Integers(count);
        byte[] reps = cursor.Unpacked(8L * count);
        return [.. names.Select((n, i) => (values.Word(n), BinaryPrimitives.ReadUInt64LittleEndian(reps.AsSpan(8 * i))))];
    }

    private int[] ReadSets()
    {
        var cursor = Cursor("FIELDSETS");
        return cursor.Integers(cursor.Count(0));
    }

    private (int Path, int Set, UsdCrateSpec Type)[] ReadSpecs()
    {
        var cursor = Cursor("SPECS");
        int count = cursor.Count(0);
        int[] paths = cursor.Integers(count), sets = cursor.Integers(count), types = cursor.Integers(count);
        return [.. paths.Select((p, i) => (p, sets[i], (UsdCrateSpec)types[i]))];
    }

    private string?[] ReadPaths()
    {
        var cursor = Cursor("PATHS");
        int most = cursor.Count(0), count = cursor.Count(0);
        int[] places = cursor.Integers(count), names = cursor.Integers(count), jumps = cursor.Integers(count);
        // Far more than are stated would be places left empty.
        if (most > 16L * count + 1024)
            throw Cut("its paths are damaged");
        var paths = new string?[most];
        var open = new Stack<(int Row, string? Parent, int Depth)>([(0, null, 0)]);
        int taken = 0;
        long letters = 0;
        while (open.TryPop(out var next))
        {
            for (var (row, parent, depth) = next; row >= 0 && row < count; row++)
            {
                if (++taken > count || depth > DeepestPath)
                    throw Cut("its paths lead in a circle");
                string path = Set(places[row], parent, Math.Abs((long)names[row]), names[row] < 0);
                // 0: a sibling follows; -1: what is below it follows; more: that too, and a sibling so far on; -2: neither.
                if (jumps[row] > 0)
                    open.Push((checked(row + jumps[row]), parent, depth));
                if (jumps[row] is > 0 or -1)
                    (parent, depth) = (path, depth + 1);
                else if (jumps[row] != 0)
                    break;
            }
        }
        return paths;

        string Set(int place, string? parent, long name, bool isProperty)
        {
            string path = "";
            if (parent is not null)
            {
                string word = values.Word(checked((int)name));
                path = parent + (isProperty ? "." : word.StartsWith('{') || parent.EndsWith('}') ? "" : "/") + word;
            }
            if ((letters += path.Length) > AlwaysLetters + MostLettersAByte * file.Length)
                throw Cut("its paths are damaged");
            return paths[place] = path;
        }
    }

    private SourceFileException Cut(string what) => new(fileName, "", what, "Export it again; it may have been cut in transfer");
}

/// <summary>What a row of a crate describes.</summary>
internal enum UsdCrateSpec
{
    Attribute = 1,
    Prim = 6,
    Root = 7,
    Relationship = 8,
    Variant = 10,
}
