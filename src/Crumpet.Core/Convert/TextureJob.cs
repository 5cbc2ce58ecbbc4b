using System.Numerics;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Convert;

/// <summary>What is known of a texture.</summary>
/// <param name="Size">Side, pixels.</param>
/// <param name="Mips">Levels.</param>
/// <param name="Quality">Difference from the picture after decoding.</param>
public sealed record CompressedReport(int Size, int Mips, TextureQuality Quality)
{
    /// <summary>Rows of level 0.</summary>
    public int Height { get; init; }

    /// <summary>Bytes of all levels, as they lie on the card.</summary>
    public long Memory { get; init; }
}

/// <summary>Compresses one texture and measures it: <c>picture</c> to <c>texture</c>, in the file that is wanted.</summary>
public sealed class TextureJob() : JobKind<ConvertSettings>("texture", 3)
{
    /// <inheritdoc/>
    public override string Words => "textures to compress";

    /// <inheritdoc/>
    public override double SecondsAUnit => 1;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(ConvertSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + inputs.Sum(i => i.Bytes) / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(ConvertSettings settings, JobInputs inputs, JobContext context)
    {
        var picture = ImageFile.Read(inputs.Bytes("picture"), "picture.png");
        if (settings.File.Container is not { } container)
            return Loose(picture, settings, context.Cancel);
        var made = TextureConverter.Work(picture, settings, context.Threads, context.Progress, null, null, context.Cancel);
        var quality = TextureQuality.Measure(made.Source, made.Texture, settings.Meaning, context.Cancel);
        var report = new CompressedReport(made.Texture.Width, made.Texture.Levels.Count, quality) { Height = made.Texture.Height, Memory = made.Texture.Bytes };
        return new JobOutput { Report = report }.With("texture", container.Write(made.Texture));
    }

    // What is lossy is measured by what is read again.
    private static JobOutput Loose(Bitmap picture, ConvertSettings settings, CancellationToken cancel)
    {
        var (file, written) = LoosePicture.Write(picture, settings, cancel);
        var texture = LoosePicture.AsTexture(settings.File.Picture!.IsLossy ? ImageFile.Read(file, "texture" + settings.File.Ending) : written,
            settings.Meaning == ColourMeaning.Srgb);
        var quality = TextureQuality.Measure(TextureConverter.ToFour(written), texture, settings.Meaning, cancel);
        var report = new CompressedReport(texture.Width, 1, quality) { Height = texture.Height, Memory = texture.Bytes };
        return new JobOutput { Report = report }.With("texture", file);
    }
}

/// <summary>What is wrong with compressed textures.</summary>
public static class ConvertFindings
{
    /// <summary>A finding where a picture holds values that its texture cannot.</summary>
    /// <param name="picture">The picture.</param>
    /// <param name="format">How it is stored.</param>
    /// <param name="name">Name of the picture.</param>
    public static IEnumerable<Finding> Cut(Bitmap picture, TextureFormat format, string name)
    {
        if (picture is not Bitmap32 real || format.Range is TexelRange.SignedHigh)
            yield break;
        float least = real.Pixels.Min(), most = real.Pixels.Max();
        bool isHigh = format.Range == TexelRange.High;
        int outside = real.Pixels.Count(v => isHigh ? v is not >= 0 : v is not (>= 0 and <= 1));
        if (outside > 0)
            yield return new Finding(Severity.Warn, "range-cut", name, FormattableString.Invariant(
                $"{name} holds {least:0.###} to {most:0.###} and {format.Label} holds {(isHigh ? "0 and above" : "0 to 1")}, so {outside} values are cut; ")
                + "bring them into that range first.", outside);
    }

    /// <summary>A note where a texture has another size than its picture: that is never silent.</summary>
    /// <param name="picture">The picture.</param>
    /// <param name="texture">What was made of it.</param>
    /// <param name="name">Name of the picture.</param>
    public static IEnumerable<Finding> Resized(Bitmap picture, Texture texture, string name)
    {
        if ((picture.Width, picture.Height) != (texture.Width, texture.Height))
            yield return new Finding(Severity.Note, "texture-resized", name,
                $"{name} is {picture.Width} × {picture.Height} px; its texture is filtered to {texture.Width} × {texture.Height} px.");
    }

    /// <summary>A finding where a texture has sides that the target does not take.</summary>
    /// <param name="file">Name of the texture.</param>
    /// <param name="output">The output it is made from.</param>
    /// <param name="width">Texels.</param>
    /// <param name="height">Texels.</param>
    /// <param name="limits">What the target holds textures to.</param>
    public static IEnumerable<Finding> Sides(string file, RecipeOutput output, int width, int height, TextureLimits limits)
    {
        if (limits.PowerOfTwo && !(BitOperations.IsPow2(width) && BitOperations.IsPow2(height)))
        {
            var mend = new HoldToPowers(output.Name);
            yield return new Finding(Severity.Warn, "texture-not-power-of-two", file,
                $"{file} is {width} × {height} px, and the target wants powers of two; filter it down to them.")
            { Mends = [new(mend.Words(), true, mend)] };
        }
        else if (limits.Square && width != height)
        {
            yield return new Finding(Severity.Warn, "texture-not-square", file,
                $"{file} is {width} × {height} px, and the target wants squares; resize at Intake the picture it is made from.");
        }
    }

    // Below this the difference from the picture shows.
    private const double LeastDecibels = 35;

    /// <summary>One finding for each texture that lost too much.</summary>
    /// <param name="textures">Files and how far they are from their pictures.</param>
    public static IEnumerable<Finding> Of(IEnumerable<(string File, TextureQuality Quality)> textures) =>
        textures.Where(t => t.Quality.Psnr < LeastDecibels).Select(t => new Finding(
            Severity.Warn, "compression-loss", t.File,
            FormattableString.Invariant($"{t.File} is {t.Quality.Psnr:0.0} dB from its picture, which shows; choose BC7 or uncompressed for it.")));
}
