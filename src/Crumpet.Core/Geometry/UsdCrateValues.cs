using System.Buffers.Binary;

namespace Crumpet.Core.Geometry;

/// <summary>Reads the values a crate's fields refer to.</summary>
/// <param name="file">The crate.</param>
/// <param name="minor">Its version behind the 0.</param>
/// <remarks>
/// Source: AOUSD core specification. A reference to a value has its kind in bits 48 to 55, whether it is packed, stands in the
/// reference itself, or is an array in bits 61 to 63, and below where it lies.
/// </remarks>
internal sealed class UsdCrateValues(byte[] file, int minor)
{
    // What values may grow to: so many items in any case, and so many more a byte of the file.
    private const long AlwaysAllowed = 1 << 24;
    private const long MostItemsAByte = 8;

    // Arrays below this are never packed.
    private const int LeastPacked = 16;

    private static readonly Dictionary<int, (UsdCrateNumber Of, int Width)> Numbers = new()
    {
        [1] = (UsdCrateNumber.Byte, 1),
        [2] = (UsdCrateNumber.Byte, 1),
        [3] = (UsdCrateNumber.Int, 1),
        [4] = (UsdCrateNumber.UInt, 1),
        [5] = (UsdCrateNumber.Long, 1),
        [6] = (UsdCrateNumber.ULong, 1),
        [7] = (UsdCrateNumber.Half, 1),
        [8] = (UsdCrateNumber.Float, 1),
        [9] = (UsdCrateNumber.Double, 1),
        [13] = (UsdCrateNumber.Double, 4),
        [14] = (UsdCrateNumber.Double, 9),
        [15] = (UsdCrateNumber.Double, 16),
        [16] = (UsdCrateNumber.Double, 4),
        [17] = (UsdCrateNumber.Float, 4),
        [18] = (UsdCrateNumber.Half, 4),
        [19] = (UsdCrateNumber.Double, 2),
        [20] = (UsdCrateNumber.Float, 2),
        [21] = (UsdCrateNumber.Half, 2),
        [22] = (UsdCrateNumber.Int, 2),
        [23] = (UsdCrateNumber.Double, 3),
        [24] = (UsdCrateNumber.Float, 3),
        [25] = (UsdCrateNumber.Half, 3),
        [26] = (UsdCrateNumber.Int, 3),
        [27] = (UsdCrateNumber.Double, 4),
        [28] = (UsdCrateNumber.Float, 4),
        [29] = (UsdCrateNumber.Half, 4),
        [30] = (UsdCrateNumber.Int, 4),
        [DoubleVector] = (UsdCrateNumber.Double, 1),
        [56] = (UsdCrateNumber.Double, 1),
    };

    private const int String = 10, Token = 11, AssetPath = 12, TokenList = 32, StringList = 33, PathList = 34, ReferenceList = 35,
        PathVector = 40, TokenVector = 41, Payload = 47, DoubleVector = 48, StringVector = 50, PayloadList = 55;

    private readonly Dictionary<ulong, UsdValue?> known = [];
    private long items;

    /// <summary>Words that are written once each.</summary>
    public string[] Tokens { get; set; } = [];

    /// <summary>Strings, as places in <see cref="Tokens"/>.</summary>
    public int[] Strings { get; set; } = [];

    /// <summary>Paths; null where none is stated.</summary>
    public string?[] Paths { get; set; } = [];

    /// <summary>The value of a reference; null where it is blocked, or of a kind that nothing here is read from.</summary>
    /// <param name="reference">The reference.</param>
    public UsdValue? Read(ulong reference)
    {
        int kind = Kind(reference);
        if (IsInlined(reference))
            return ReadInlined(kind, (uint)reference);
        // Equal values are written once and referred to often.
        if (known.TryGetValue(reference, out var value))
            return value;
        long at = (long)(reference & 0xffff_ffff_ffff);
        return known[reference] = !IsArray(reference) ? ReadOne(kind, Cursor(at)) : at == 0 ? new UsdValue() : ReadArray(kind, IsPacked(reference), Cursor(at));
    }

    /// <summary>The value at the earliest time that has one.</summary>
    /// <param name="reference">Times and values.</param>
    public UsdValue? ReadFirstSample(ulong reference)
    {
        var cursor = Cursor((long)(reference & 0xffff_ffff_ffff));
        cursor.Jump();
        double[] times = Read((ulong)cursor.Long())?.Numbers ?? [];
        cursor.Jump();
        int count = Math.Min(cursor.Count(8), times.Length);
        UsdValue? first = null;
        double earliest = double.PositiveInfinity;
        for (int i = 0; i < count; i++)
        {
            ulong sample = (ulong)cursor.Long();
            if (times[i] < earliest && Read(sample) is { } value)
                (first, earliest) = (value, times[i]);
        }
        return first;
    }

    /// <summary>Variants that are chosen, by their sets.</summary>
    /// <param name="reference">The choices.</param>
    public IEnumerable<(string Set, string Choice)> ReadChoices(ulong reference)
    {
        var cursor = Cursor((long)(reference & 0xffff_ffff_ffff));
        int count = cursor.Count(8);
        for (int i = 0; i < count; i++)
            yield return (Text(cursor.Int()), Text(cursor.Int()));
    }

    /// <summary>A word.</summary>
    /// <param name="index">Its place.</param>
    public string Word(int index) => Tokens[index];

    private static int Kind(ulong reference) => (int)(reference >> 48) & 0xff;

    private static bool IsArray(ulong reference) => (reference >> 63 & 1) == 1;

    private static bool IsInlined(ulong reference) => (reference >> 62 & 1) == 1;

    private static bool IsPacked(ulong reference) => (reference >> 61 & 1) == 1;

    private string Text(int index) => Tokens[Strings[index]];

    private string PathOf(int index) => Paths[index] ?? throw new InvalidDataException();

    private UsdCrateCursor Cursor(long at)
    {
        var cursor = new UsdCrateCursor(file, 0, file.Length);
        cursor.Seek(at);
        return cursor;
    }

    private UsdValue? ReadInlined(int kind, uint bits)
    {
        switch (kind)
        {
            case Token:
                return new UsdValue { Words = [Word((int)bits)] };
            case String:
                return new UsdValue { Words = [Text((int)bits)] };
            case AssetPath:
                return Asset(Word((int)bits));
        }
        if (!Numbers.TryGetValue(kind, out var layout))
            return null;
        if (layout.Width == 1)
        {
            return Number(layout.Of switch
            {
                UsdCrateNumber.Half => (double)BitConverter.UInt16BitsToHalf((ushort)bits),
                UsdCrateNumber.Float or UsdCrateNumber.Double => BitConverter.UInt32BitsToSingle(bits),
                UsdCrateNumber.Int or UsdCrateNumber.Long => (int)bits,
                _ => bits,
            });
        }
        if (layout is (UsdCrateNumber.Half, 2))
        {
            double first = (double)BitConverter.UInt16BitsToHalf((ushort)bits), second = (double)BitConverter.UInt16BitsToHalf((ushort)(bits >> 16));
            return new UsdValue { Numbers = [first, second], Width = 2 };
        }
        // Small whole numbers, a byte each; of matrices those of the diagonal.
        var numbers = new double[layout.Width];
        int rows = kind is >= 13 and <= 15 ? kind - 11 : layout.Width, step = kind is >= 13 and <= 15 ? rows + 1 : 1;
        for (int i = 0; i < rows; i++)
            numbers[i * step] = (sbyte)(bits >> (8 * i));
        return new UsdValue { Numbers = numbers, Width = layout.Width };
    }

    private UsdValue? ReadOne(int kind, UsdCrateCursor cursor)
    {
        switch (kind)
        {
            case Token:
                return new UsdValue { Words = [Word(cursor.Int())] };
            case String:
                return new UsdValue { Words = [Text(cursor.Int())] };
            case TokenVector:
                return Words(cursor, Word);
            case StringVector:
                return Words(cursor, Text);
            case PathVector:
                return Targets(ReadList(cursor, 4, c => new UsdTarget("", PathOf(c.Int()))));
            case TokenList:
                return Listed(cursor, c => ReadList(c, 4, i => Word(i.Int()))) is { } tokens ? new UsdValue { Words = tokens } : null;
            case StringList:
                return Listed(cursor, c => ReadList(c, 4, i => Text(i.Int()))) is { } strings ? new UsdValue { Words = strings } : null;
            case PathList:
                return Listed(cursor, c => ReadList(c, 4, i => new UsdTarget("", PathOf(i.Int())))) is { } paths ? Targets(paths) : null;
            case ReferenceList:
                return Listed(cursor, c => ReadList(c, 32, i => ReadTarget(i, true, true))) is { } references ? Targets(references) : null;
            case PayloadList:
                return Listed(cursor, c => ReadList(c, 8, i => ReadTarget(i, false, minor >= 8))) is { } payloads ? Targets(payloads) : null;
            case Payload:
                return Targets([ReadTarget(cursor, false, minor >= 8)]);
            case DoubleVector:
                return ReadNumbers(UsdCrateNumber.Double, 1, cursor.Count(8), false, cursor);
            default:
                return Numbers.TryGetValue(kind, out var layout) ? Ordered(kind, ReadNumbers(layout.Of, layout.Width, 1, false, cursor)) : null;
        }
    }

    private UsdValue? ReadArray(int kind, bool isPacked, UsdCrateCursor cursor)
    {
        // How many axes it has, which was always one.
        if (minor < 5)
            cursor.Int();
        long size = minor < 7 ? (uint)cursor.Int() : cursor.Long();
        int count = checked((int)size);
        if (kind is Token or String)
            return new UsdValue { Words = ReadList(cursor, 4, count, c => kind == Token ? Word(c.Int()) : Text(c.Int())) };
        return Numbers.TryGetValue(kind, out var layout)
            ? Ordered(kind, ReadNumbers(layout.Of, layout.Width, count, isPacked && count >= LeastPacked, cursor)) : null;
    }

    private UsdValue? ReadNumbers(UsdCrateNumber of, int width, int count, bool isPacked, UsdCrateCursor cursor)
    {
        Spend(count * (long)width);
        if (isPacked)
            return width == 1 ? ReadPacked(of, count, cursor) : throw new InvalidDataException();
        int bytes = Bytes(of);
        var from = cursor.Bytes((long)count * width * bytes);
        var numbers = new double[count * width];
        for (int i = 0; i < numbers.Length; i++)
        {
            var item = from[(i * bytes)..];
            numbers[i] = of switch
            {
                UsdCrateNumber.Byte => item[0],
                UsdCrateNumber.Int => BinaryPrimitives.ReadInt32LittleEndian(item),
                UsdCrateNumber.UInt => BinaryPrimitives.ReadUInt32LittleEndian(item),
                UsdCrateNumber.Long => BinaryPrimitives.ReadInt64LittleEndian(item),
                UsdCrateNumber.ULong => BinaryPrimitives.ReadUInt64LittleEndian(item),
                UsdCrateNumber.Half => (double)BinaryPrimitives.ReadHalfLittleEndian(item),
                UsdCrateNumber.Float => BinaryPrimitives.ReadSingleLittleEndian(item),
                _ => BinaryPrimitives.ReadDoubleLittleEndian(item),
            };
        }
        return new UsdValue { Numbers = numbers, Width = width };
    }

    /// <summary>Numbers packed as integers: themselves, or places in a table of those there are.</summary>
    private UsdValue? ReadPacked(UsdCrateNumber of, int count, UsdCrateCursor cursor)
    {
        switch (of)
        {
            case UsdCrateNumber.Int:
                return new UsdValue { Numbers = Array.ConvertAll(cursor.Integers(count), i => (double)i) };
            case UsdCrateNumber.UInt:
                return new UsdValue { Numbers = Array.ConvertAll(cursor.Integers(count), i => (double)(uint)i) };
            case UsdCrateNumber.Half or UsdCrateNumber.Float or UsdCrateNumber.Double:
                byte how = cursor.Byte();
                if (how == (byte)'i')
                    return new UsdValue { Numbers = Array.ConvertAll(cursor.Integers(count), i => (double)i) };
                if (how != (byte)'t')
                    throw new InvalidDataException();
                int rows = cursor.Int();
                if (rows < 0)
                    throw new InvalidDataException();
                double[] table = ReadNumbers(of, 1, rows, false, cursor)!.Numbers;
                return new UsdValue { Numbers = Array.ConvertAll(cursor.Integers(count), i => table[i]) };
            default:
                // Of integers of 64 bits nothing here is read.
                return null;
        }
    }

    /// <summary>Quaternions with the real part first, which is stored last.</summary>
    private static UsdValue? Ordered(int kind, UsdValue? value)
    {
        if (kind is not (16 or 17 or 18) || value is null)
            return value;
        for (int i = 0; i + 3 < value.Numbers.Length; i += 4)
            (value.Numbers[i], value.Numbers[i + 1], value.Numbers[i + 2], value.Numbers[i + 3]) =
                (value.Numbers[i + 3], value.Numbers[i], value.Numbers[i + 1], value.Numbers[i + 2]);
        return value;
    }

    private UsdTarget ReadTarget(UsdCrateCursor cursor, bool hasDictionary, bool hasOffset)
    {
        var target = new UsdTarget(Text(cursor.Int()), PathOf(cursor.Int()));
        if (hasOffset)
            cursor.Bytes(16);
        for (int left = hasDictionary ? cursor.Count(20) : 0; left > 0; left--)
        {
            // A key; and how far it is to a reference, over what that refers to.
            cursor.Int();
            cursor.Jump();
            cursor.Long();
        }
        return target;
    }

    /// <summary>What a list states or adds; null where it only takes away.</summary>
    private static T[]? Listed<T>(UsdCrateCursor cursor, Func<UsdCrateCursor, T[]> read)
    {
        const byte isWhole = 1, whole = 2, added = 4, before = 32, behind = 64;
        byte has = cursor.Byte();
        List<T> found = [];
        foreach (byte which in (ReadOnlySpan<byte>)[whole, added, before, behind])
        {
            if ((has & which) != 0)
                found.AddRange(read(cursor));
        }
        return found.Count > 0 || (has & isWhole) != 0 ? [.. found] : null;
    }

    private UsdValue Words(UsdCrateCursor cursor, Func<int, string> word) => new() { Words = ReadList(cursor, 4, c => word(c.Int())) };

    private T[] ReadList<T>(UsdCrateCursor cursor, int bytesEach, Func<UsdCrateCursor, T> read) => ReadList(cursor, bytesEach, cursor.Count(bytesEach), read);

    private T[] ReadList<T>(UsdCrateCursor cursor, int bytesEach, int count, Func<UsdCrateCursor, T> read)
    {
        if (count < 0 || (long)count * bytesEach > file.Length)
            throw new InvalidDataException();
        Spend(count);
        var found = new T[count];
        for (int i = 0; i < count; i++)
            found[i] = read(cursor);
        return found;
    }

    private void Spend(long more)
    {
        items += more;
        if (more < 0 || items > AlwaysAllowed + MostItemsAByte * file.Length)
            throw new InvalidDataException();
    }

    private static UsdValue Number(double value) => new() { Numbers = [value] };

    private static UsdValue Asset(string path) => new() { Words = [path], Targets = [new UsdTarget(path, "")] };

    private static UsdValue Targets(UsdTarget[] targets) =>
        new() { Targets = targets, Words = [.. targets.Where(t => t.Asset.Length > 0).Select(t => t.Asset)] };

    private static int Bytes(UsdCrateNumber of) => of switch
    {
        UsdCrateNumber.Byte => 1,
        UsdCrateNumber.Half => 2,
        UsdCrateNumber.Int or UsdCrateNumber.UInt or UsdCrateNumber.Float => 4,
        _ => 8,
    };
}

/// <summary>How a number is stored.</summary>
internal enum UsdCrateNumber
{
    Byte,
    Int,
    UInt,
    Long,
    ULong,
    Half,
    Float,
    Double,
}
