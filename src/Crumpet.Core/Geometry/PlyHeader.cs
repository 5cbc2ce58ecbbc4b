using System.Globalization;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>How the rows of a PLY file are written.</summary>
public enum PlyFormat
{
    /// <summary>As text.</summary>
    Text,

    /// <summary>Binary, least byte first.</summary>
    LittleEndian,

    /// <summary>Binary, greatest byte first.</summary>
    BigEndian,
}

/// <summary>Type of a PLY number.</summary>
internal enum PlyType
{
    Int8,
    UInt8,
    Int16,
    UInt16,
    Int32,
    UInt32,
    Float32,
    Float64,
}

/// <summary>A property of a row; a list has a count before its entries.</summary>
internal sealed record PlyProperty(string Name, PlyType Type, bool IsList, PlyType CountType);

/// <summary>A table of a PLY file.</summary>
internal sealed record PlyElement(string Name, long Count, List<PlyProperty> Properties);

/// <summary>The header of a PLY file.</summary>
/// <param name="Format">How rows are written.</param>
/// <param name="Length">Bytes of the header.</param>
/// <param name="Elements">Tables in the order of the file.</param>
internal sealed record PlyHeader(PlyFormat Format, int Length, IReadOnlyList<PlyElement> Elements)
{
    private const int LongestHeader = 1 << 16;

    /// <summary>Numbers of lines that no header has, and that were passed over.</summary>
    public IReadOnlyList<int> Strays { get; init; } = [];

    public static int SizeOf(PlyType type) => type switch
    {
        PlyType.Int8 or PlyType.UInt8 => 1,
        PlyType.Int16 or PlyType.UInt16 => 2,
        PlyType.Float64 => 8,
        _ => 4,
    };

    public static PlyHeader Read(byte[] bytes, string fileName)
    {
        PlyFormat? format = null;
        var elements = new List<PlyElement>();
        var strays = new List<int>();
        int at = 0, number = 0;
        while (true)
        {
            number++;
            int end = bytes.AsSpan(at, Math.Min(bytes.Length - at, LongestHeader)).IndexOfAny((byte)'\n', (byte)'\r');
            if (end < 0 || at > LongestHeader)
                throw Wrong(fileName, number, "the header has no end", "This is no PLY file, or it was cut; export it again");
            string line = Encoding.UTF8.GetString(bytes, at, end);
            at += end + 1;
            if (bytes[at - 1] == '\r' && at < bytes.Length && bytes[at] == '\n')
                at++;
            string[] words = line.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);
            if (number == 1)
            {
                if (words is not ["ply"])
                    throw Wrong(fileName, 1, "it does not begin with ply", "This is no PLY file; export it again");
                continue;
            }
            switch (words)
            {
                case [] or ["comment" or "obj_info", ..]:
                    break;
                case ["format", var name, ..]:
                    format = name switch
                    {
                        "ascii" => PlyFormat.Text,
                        "binary_little_endian" => PlyFormat.LittleEndian,
                        "binary_big_endian" => PlyFormat.BigEndian,
                        _ => throw Wrong(fileName, number, $"its format '{name}' is not known", "Export it as ascii or binary PLY"),
                    };
                    break;
                case ["element", var name, var count] when long.TryParse(count, NumberStyles.None, CultureInfo.InvariantCulture, out long rows):
                    elements.Add(new PlyElement(name, rows, []));
                    break;
                case ["property", "list", var count, var type, var name] when elements.Count > 0:
                    elements[^1].Properties.Add(new PlyProperty(name, TypeOf(type), true, TypeOf(count)));
                    break;
                case ["property", var type, var name] when elements.Count > 0:
                    elements[^1].Properties.Add(new PlyProperty(name, TypeOf(type), false, PlyType.UInt8));
                    break;
                case ["end_header"]:
                    return new PlyHeader(format ?? throw Wrong(fileName, number, "the header names no format", "Export it again"), at, elements)
                    { Strays = strays };
                case [not ("format" or "element" or "property"), ..]:
                    // Some programs write of their own there; it says nothing of the rows.
                    strays.Add(number);
                    break;
                default:
                    throw Wrong(fileName, number, $"'{line[..Math.Min(60, line.Length)]}' is no line of a header", "Export it again");
            }

            PlyType TypeOf(string word) => word switch
            {
                "char" or "int8" => PlyType.Int8,
                "uchar" or "uint8" => PlyType.UInt8,
                "short" or "int16" => PlyType.Int16,
                "ushort" or "uint16" => PlyType.UInt16,
                "int" or "int32" => PlyType.Int32,
                "uint" or "uint32" => PlyType.UInt32,
                "float" or "float32" => PlyType.Float32,
                "double" or "float64" => PlyType.Float64,
                _ => throw Wrong(fileName, number, $"'{word}' is no type of number", "Export it again"),
            };
        }
    }

    private static SourceFileException Wrong(string fileName, int line, string what, string whatToDo) => new(fileName, $"line {line}", what, whatToDo);
}
