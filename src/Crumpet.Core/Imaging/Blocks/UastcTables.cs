namespace Crumpet.Core.Imaging.Blocks;

/// <summary>One of the ways a UASTC block spends its bits.</summary>
/// <param name="Number">Its number.</param>
/// <param name="Code">What the block begins with.</param>
/// <param name="CodeBits">Bits of that.</param>
/// <param name="Parts">Lines in a block.</param>
/// <param name="Planes">Sets of weights: 1 or 2.</param>
/// <param name="Channels">Numbers of an end: 2 for luminance and alpha, 3 for RGB, 4 with alpha.</param>
/// <param name="WeightBits">Bits of a weight.</param>
/// <param name="Levels">Values a number of an end can have.</param>
/// <param name="HintBits">Bits that help to make other formats of it: 15, with alpha 23, or 17 where room is short.</param>
/// <param name="PatternBits">Bits that name the partition.</param>
internal sealed record UastcMode(int Number, int Code, int CodeBits, int Parts, int Planes, int Channels, int WeightBits, int Levels, int HintBits,
    int PatternBits)
{
    /// <summary>Range of the ends' numbers.</summary>
    public AstcRange Colours { get; } = AstcTables.ColourRanges.FirstOrDefault(r => r.Levels == Levels);

    /// <summary>Range of the weights.</summary>
    public AstcRange Weights { get; } = AstcTables.WeightRanges.FirstOrDefault(r => r.Levels == 1 << WeightBits);

    /// <summary>Whether a channel's number says which one has weights of its own; of luminance it is always alpha.</summary>
    public bool NamesChannel => Planes == 2 && Channels > 2;

    /// <summary>Partitions it can name, by the number ASTC knows them by.</summary>
    public IReadOnlyList<int> Seeds => Parts == 3 ? UastcTables.Three : Number == UastcTables.Odd ? UastcTables.OddTwo : UastcTables.Two;
}

/// <summary>The tables of UASTC: a part of ASTC 4×4 whose blocks are quickly made into those of other formats.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.4, "UASTC texture data format".</remarks>
internal static class UastcTables
{
    /// <summary>The mode of one colour all over.</summary>
    public const int Solid = 8;

    /// <summary>The mode of two lines over partitions that have three parts elsewhere.</summary>
    public const int Odd = 7;

    /// <summary>Partitions of two parts.</summary>
    public static readonly int[] Two =
    [
        28, 20, 16, 29, 91, 9, 107, 72, 149, 204, 50, 114, 496, 17, 78, 39, 252, 828, 43, 156, 116, 210, 476, 273, 684, 359, 246, 195, 694, 524,
    ];

    /// <summary>Partitions of two parts of the mode <see cref="Odd"/>.</summary>
    public static readonly int[] OddTwo = [36, 48, 61, 137, 161, 183, 226, 281, 302, 307, 479, 495, 593, 594, 605, 799, 812, 988, 993];

    /// <summary>Partitions of three parts.</summary>
    public static readonly int[] Three = [260, 74, 32, 156, 183, 15, 745, 0, 335, 902, 254];

    /// <summary>All modes by their numbers.</summary>
    public static readonly UastcMode[] Modes =
    [
        new(0, 0x1, 4, 1, 1, 3, 4, 192, 15, 0), new(1, 0x35, 6, 1, 1, 3, 2, 256, 15, 0), new(2, 0x1d, 5, 2, 1, 3, 3, 16, 15, 5),
        new(3, 0x3, 5, 3, 1, 3, 2, 12, 15, 4), new(4, 0x13, 5, 2, 1, 3, 2, 40, 15, 5), new(5, 0xb, 5, 1, 1, 3, 3, 256, 15, 0),
        new(6, 0x1b, 5, 1, 2, 3, 2, 160, 15, 0), new(7, 0x7, 5, 2, 1, 3, 2, 40, 15, 5), new(8, 0x17, 5, 0, 0, 4, 0, 256, 0, 0),
        new(9, 0xf, 5, 2, 1, 4, 2, 16, 23, 5), new(10, 0x2, 3, 1, 1, 4, 4, 48, 17, 0), new(11, 0x0, 2, 1, 2, 4, 2, 48, 17, 0),
        new(12, 0x6, 3, 1, 1, 4, 3, 192, 17, 0), new(13, 0x1f, 5, 1, 2, 4, 1, 256, 23, 0), new(14, 0xd, 5, 1, 1, 4, 2, 256, 23, 0),
        new(15, 0x5, 7, 1, 1, 2, 4, 256, 23, 0), new(16, 0x15, 6, 2, 1, 2, 2, 256, 23, 5), new(17, 0x25, 6, 1, 2, 2, 2, 256, 23, 0),
        new(18, 0x9, 4, 1, 1, 3, 5, 32, 15, 0),
    ];

    private static readonly UastcMode?[] ByCode =
        [.. Enumerable.Range(0, 128).Select(bits => Array.Find(Modes, m => (bits & ((1 << m.CodeBits) - 1)) == m.Code))];

    /// <summary>The mode of a block's first bits; null for what is reserved.</summary>
    public static UastcMode? Of(uint first) => ByCode[first & 127];

    /// <summary>Which part each texel is of.</summary>
    /// <param name="mode">The mode.</param>
    /// <param name="pattern">Number of the partition within the mode's.</param>
    /// <param name="parts">Sixteen parts.</param>
    public static void Parts(UastcMode mode, int pattern, Span<int> parts)
    {
        for (int i = 0; i < 16; i++)
            parts[i] = mode.Parts == 1 ? 0 : AstcTables.Part(mode.Seeds[pattern], i % 4, i / 4, mode.Parts, isSmall: true);
    }
}
