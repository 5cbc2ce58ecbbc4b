namespace Crumpet.Core.Imaging.Blocks;

/// <summary>The tables of ETC2 and EAC.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ETC1", "ETC2" and "EAC compressed texture image formats".</remarks>
internal static class EtcTables
{
    /// <summary>The two sizes of modifiers a half of a block may have.</summary>
    public static readonly (int Small, int Large)[] Modifiers = [(2, 8), (5, 17), (9, 29), (13, 42), (18, 60), (24, 80), (33, 106), (47, 183)];

    /// <summary>Distances of the modes with two colours.</summary>
    public static readonly int[] Distances = [3, 6, 11, 16, 23, 32, 41, 64];

    /// <summary>Modifiers of a single channel.</summary>
    public static readonly sbyte[][] Alpha =
    [
        [-3, -6, -9, -15, 2, 5, 8, 14], [-3, -7, -10, -13, 2, 6, 9, 12], [-2, -5, -8, -13, 1, 4, 7, 12], [-2, -4, -6, -13, 1, 3, 5, 12],
        [-3, -6, -8, -12, 2, 5, 7, 11], [-3, -7, -9, -11, 2, 6, 8, 10], [-4, -7, -8, -11, 3, 6, 7, 10], [-3, -5, -8, -11, 2, 4, 7, 10],
        [-2, -6, -8, -10, 1, 5, 7, 9], [-2, -5, -8, -10, 1, 4, 7, 9], [-2, -4, -8, -10, 1, 3, 7, 9], [-2, -5, -7, -10, 1, 4, 6, 9],
        [-3, -4, -7, -10, 2, 3, 6, 9], [-1, -2, -3, -10, 0, 1, 2, 9], [-4, -6, -8, -9, 3, 5, 7, 8], [-3, -5, -7, -9, 2, 4, 6, 8],
    ];

    /// <summary>Place in a block of a texel's index: columns first.</summary>
    public static int Place(int texel) => texel % 4 * 4 + texel / 4;
}
