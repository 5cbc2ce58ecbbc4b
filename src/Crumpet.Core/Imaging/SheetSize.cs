namespace Crumpet.Core.Imaging;

/// <summary>How large a sheet may be.</summary>
public static class SheetSize
{
    /// <summary>Least side of a sheet, pixels.</summary>
    public const int Smallest = 16;

    /// <summary>Greatest side of a sheet, pixels.</summary>
    public const int Largest = 8192;
}
