namespace Crumpet.Core.Bake;

/// <summary>Colours of the fault map.</summary>
public static class FaultPicture
{
    /// <summary>Where nothing is wrong.</summary>
    public static (byte R, byte G, byte B) Right { get; } = (0xC9, 0xC9, 0xC4);

    /// <summary>Where no low triangle is.</summary>
    public static (byte R, byte G, byte B) Empty { get; } = (0x5F, 0x5F, 0x5F);

    /// <summary>Colour of a cause.</summary>
    public static (byte R, byte G, byte B) ColourOf(FaultKind kind) => kind switch
    {
        FaultKind.Miss => (0xA4, 0x24, 0x3B),
        FaultKind.BackFace => (0x6E, 0x1F, 0x6B),
        FaultKind.Neighbour => (0xC9, 0x6A, 0x00),
        FaultKind.ReachExhausted => (0xE0, 0xB4, 0x2C),
        FaultKind.Overlap => (0x1D, 0x6B, 0x63),
        FaultKind.Skew => (0x4A, 0x5F, 0xA5),
        FaultKind.HardEdge => (0x20, 0x30, 0x2F),
        FaultKind.Filled => (0x8F, 0xA3, 0x6A),
        FaultKind.Coarse => (0x7F, 0xA9, 0xC9),
        _ => Right,
    };
}
