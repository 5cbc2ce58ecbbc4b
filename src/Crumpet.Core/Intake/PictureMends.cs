using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>A mend that makes another picture of a texture.</summary>
public abstract record PictureMend : IntakeMend
{
    /// <summary>The changed picture, or the same one where there is nothing to change.</summary>
    /// <param name="before">The picture.</param>
    /// <param name="meaning">What its numbers mean.</param>
    /// <param name="green">Direction of green in normal maps that are made.</param>
    /// <param name="cancel">Ends the work early.</param>
    internal abstract Bitmap Changed(Bitmap before, ColourMeaning meaning, GreenDirection green, CancellationToken cancel);

    /// <summary>What the texture is afterwards.</summary>
    internal virtual TextureKind KindAfter(TextureKind before) => before;
}

/// <summary>Resamples textures.</summary>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
public sealed record ResizeTexture([property: Within("The width", 1, ImageFile.LargestSide, Unit = "px")] int Width,
    [property: Within("The height", 1, ImageFile.LargestSide, Unit = "px")] int Height) : PictureMend
{
    /// <inheritdoc/>
    public override string Words() => $"Resize {File} to {Width} × {Height} px";

    internal override Bitmap Changed(Bitmap before, ColourMeaning meaning, GreenDirection green, CancellationToken cancel) =>
        (before.Width, before.Height) == (Width, Height) ? before : PictureOps.Resize(before, Width, Height, meaning, cancel);
}

/// <summary>Makes normals of heights.</summary>
/// <param name="Strength">How many texels white stands above black.</param>
/// <param name="Kernel">3, 5 or 9 texels across.</param>
/// <param name="Wrap">Whether the picture goes on at its opposite edge.</param>
public sealed record MakeNormals([property: Within("The strength", 0.01, 1000)] double Strength, [property: OneOf("The kernel", 3, 5, 9)] int Kernel, bool Wrap)
    : PictureMend
{
    /// <inheritdoc/>
    public override string Words() => $"Make {File} a normal map, strength {Number(Strength)}, {Kernel} × {Kernel}{(Wrap ? ", wrapping" : "")}";

    internal override Bitmap Changed(Bitmap before, ColourMeaning meaning, GreenDirection green, CancellationToken cancel) =>
        HeightToNormal.Convert(before, (float)Strength, Kernel, Wrap, green == GreenDirection.Up, cancel);

    internal override TextureKind KindAfter(TextureKind before) => TextureKind.Normal;
}

/// <summary>Makes all vectors of a normal map of length 1.</summary>
public sealed record UnitLength : PictureMend
{
    /// <inheritdoc/>
    public override string Words() => $"Make the normals of {File} of unit length";

    internal override Bitmap Changed(Bitmap before, ColourMeaning meaning, GreenDirection green, CancellationToken cancel) => PictureOps.UnitNormals(before);
}

/// <summary>Takes the alpha off textures.</summary>
public sealed record DropAlpha : PictureMend
{
    /// <inheritdoc/>
    public override string Words() => $"Drop the alpha of {File}";

    internal override Bitmap Changed(Bitmap before, ColourMeaning meaning, GreenDirection green, CancellationToken cancel) => PictureOps.DropAlpha(before);
}
