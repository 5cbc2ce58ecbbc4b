namespace Crumpet.Core.Imaging.Blocks;

/// <summary>One of the fourteen ways BC6H spends the 128 bits of a block.</summary>
/// <param name="Code">Bits that tell the mode.</param>
/// <param name="CodeBits">How many they are: 2 or 5.</param>
/// <param name="Lines">Lines in a block: 1 or 2.</param>
/// <param name="Bits">Bits of the first end.</param>
/// <param name="Red">Bits of the others in red: differences from the first where <paramref name="HasDifferences"/>.</param>
/// <param name="Green">The same in green.</param>
/// <param name="Blue">The same in blue.</param>
/// <param name="HasDifferences">Whether the other ends are stored as differences.</param>
/// <param name="Layout">
/// Where the bits of the ends lie, after the mode's: pieces of a channel (r, g, b), an end (w, x, y, z) and the highest and lowest bit.
/// </param>
internal sealed record Bc6Mode(int Code, int CodeBits, int Lines, int Bits, int Red, int Green, int Blue, bool HasDifferences, string Layout)
{
    /// <summary>
    /// Runs of the ends' bits that lie in one order, as the block has them: channel, end, lowest bit, how many, and whether the highest comes first.
    /// </summary>
    public (int Channel, int End, int Bit, int Count, bool IsTurned)[] Pieces { get; } = PiecesOf(Layout);

    /// <summary>Bits of the other ends in a channel.</summary>
    public int Other(int channel) => channel == 0 ? Red : channel == 1 ? Green : Blue;

    private static (int, int, int, int, bool)[] PiecesOf(string layout) =>
    [
        .. layout.Split(' ').Select(piece =>
        {
            int[] range = [.. piece[2..].Split(':').Select(int.Parse)];
            return ("rgb".IndexOf(piece[0]), "wxyz".IndexOf(piece[1]), Math.Min(range[0], range[^1]), Math.Abs(range[0] - range[^1]) + 1, range[0] < range[^1]);
        }),
    ];
}

/// <summary>The modes of BC6H.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats", tables of BC6H.</remarks>
internal static class Bc6Tables
{
    /// <summary>All modes; those of two lines come first.</summary>
    public static readonly Bc6Mode[] Modes =
    [
        new(0, 2, 2, 10, 5, 5, 5, true, "gy4 by4 bz4 rw9:0 gw9:0 bw9:0 rx4:0 gz4 gy3:0 gx4:0 bz0 gz3:0 bx4:0 bz1 by3:0 ry4:0 bz2 rz4:0 bz3"),
        new(1, 2, 2, 7, 6, 6, 6, true, "gy5 gz4 gz5 rw6:0 bz0 bz1 by4 gw6:0 by5 bz2 gy4 bw6:0 bz3 bz5 bz4 rx5:0 gy3:0 gx5:0 gz3:0 bx5:0 by3:0 ry5:0 rz5:0"),
        new(2, 5, 2, 11, 5, 4, 4, true, "rw9:0 gw9:0 bw9:0 rx4:0 rw10 gy3:0 gx3:0 gw10 bz0 gz3:0 bx3:0 bw10 bz1 by3:0 ry4:0 bz2 rz4:0 bz3"),
        new(6, 5, 2, 11, 4, 5, 4, true, "rw9:0 gw9:0 bw9:0 rx3:0 rw10 gz4 gy3:0 gx4:0 gw10 gz3:0 bx3:0 bw10 bz1 by3:0 ry3:0 bz0 bz2 rz3:0 gy4 bz3"),
        new(10, 5, 2, 11, 4, 4, 5, true, "rw9:0 gw9:0 bw9:0 rx3:0 rw10 by4 gy3:0 gx3:0 gw10 bz0 gz3:0 bx4:0 bw10 by3:0 ry3:0 bz1 bz2 rz3:0 bz4 bz3"),
        new(14, 5, 2, 9, 5, 5, 5, true, "rw8:0 by4 gw8:0 gy4 bw8:0 bz4 rx4:0 gz4 gy3:0 gx4:0 bz0 gz3:0 bx4:0 bz1 by3:0 ry4:0 bz2 rz4:0 bz3"),
        new(18, 5, 2, 8, 6, 5, 5, true, "rw7:0 gz4 by4 gw7:0 bz2 gy4 bw7:0 bz3 bz4 rx5:0 gy3:0 gx4:0 bz0 gz3:0 bx4:0 bz1 by3:0 ry5:0 rz5:0"),
        new(22, 5, 2, 8, 5, 6, 5, true, "rw7:0 bz0 by4 gw7:0 gy5 gy4 bw7:0 gz5 bz4 rx4:0 gz4 gy3:0 gx5:0 gz3:0 bx4:0 bz1 by3:0 ry4:0 bz2 rz4:0 bz3"),
        new(26, 5, 2, 8, 5, 5, 6, true, "rw7:0 bz1 by4 gw7:0 by5 gy4 bw7:0 bz5 bz4 rx4:0 gz4 gy3:0 gx4:0 bz0 gz3:0 bx5:0 by3:0 ry4:0 bz2 rz4:0 bz3"),
        new(30, 5, 2, 6, 6, 6, 6, false, "rw5:0 gz4 bz0 bz1 by4 gw5:0 gy5 by5 bz2 gy4 bw5:0 gz5 bz3 bz5 bz4 rx5:0 gy3:0 gx5:0 gz3:0 bx5:0 by3:0 ry5:0 rz5:0"),
        new(3, 5, 1, 10, 10, 10, 10, false, "rw9:0 gw9:0 bw9:0 rx9:0 gx9:0 bx9:0"),
        new(7, 5, 1, 11, 9, 9, 9, true, "rw9:0 gw9:0 bw9:0 rx8:0 rw10 gx8:0 gw10 bx8:0 bw10"),
        new(11, 5, 1, 12, 8, 8, 8, true, "rw9:0 gw9:0 bw9:0 rx7:0 rw10:11 gx7:0 gw10:11 bx7:0 bw10:11"),
        new(15, 5, 1, 16, 4, 4, 4, true, "rw9:0 gw9:0 bw9:0 rx3:0 rw10:15 gx3:0 gw10:15 bx3:0 bw10:15"),
    ];

    private static readonly sbyte[] ByCode = CodeTable();

    /// <summary>The number of a block's mode in <see cref="Modes"/>, or −1 for a reserved one.</summary>
    public static int NumberOf(byte first) => ByCode[first & 31];

    private static sbyte[] CodeTable()
    {
        var table = new sbyte[32];
        Array.Fill(table, (sbyte)-1);
        for (int mode = 0; mode < Modes.Length; mode++)
            for (int code = 0; code < 32; code++)
                if ((code & ((1 << Modes[mode].CodeBits) - 1)) == Modes[mode].Code)
                    table[code] = (sbyte)mode;
        return table;
    }
}
