using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Layout;

/// <summary>Lays the islands out anew for a size.</summary>
/// <param name="Size">Side of the sheets, pixels.</param>
public sealed record LayOutFor([property: Within("The sheet's size", SheetSize.Smallest, SheetSize.Largest, Unit = "px")] int Size) : Mend
{
    /// <inheritdoc/>
    public override string Words() => $"Lay the islands out for {Size} px";
}

/// <summary>Leaves UVs as they came.</summary>
public sealed record KeepUvs : Mend
{
    /// <inheritdoc/>
    public override string Words() => "Keep the UVs as they came";
}

/// <summary>All kinds of mends of this station.</summary>
public static class LayoutMendKinds
{
    /// <summary>One row a kind.</summary>
    public static IReadOnlyList<MendKind> All { get; } = [new("layOutFor", typeof(LayOutFor)), new("keepUvs", typeof(KeepUvs))];
}
