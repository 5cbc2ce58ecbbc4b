using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Convert;

/// <summary>What is known of a texture.</summary>
/// <param name="Size">Side, pixels.</param>
/// <param name="Mips">Levels.</param>
/// <param name="Quality">Difference from the picture after decoding.</param>
public sealed record CompressedReport(int Size, int Mips, TextureQuality Quality);

/// <summary>Compresses one texture and measures it: <c>picture</c> to <c>texture</c>, a DDS.</summary>
public sealed class TextureJob() : JobKind<ConvertSettings>("texture", 1)
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
        var texture = TextureConverter.Convert(picture, settings, context.Threads, context.Progress, context.Cancel);
        var quality = TextureConverter.Measure(picture, texture, settings.Meaning, context.Cancel);
        return new JobOutput { Report = new CompressedReport(texture.Width, texture.Levels.Count, quality) }.With("texture", DdsFile.Write(texture));
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
        if (picture is not Bitmap32 real)
            yield break;
        float least = real.Pixels.Min(), most = real.Pixels.Max();
        int outside = real.Pixels.Count(v => v is not (>= 0 and <= 1));
        if (outside > 0)
            yield return new Finding(Severity.Warn, "range-cut", name, FormattableString.Invariant(
                $"{name} holds {least:0.###} to {most:0.###} and {format.Label} holds 0 to 1, so {outside} values are cut; bring them into that range first."),
                outside);
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
