using System.Numerics;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Convert;

/// <summary>What a picture's alpha is.</summary>
public enum AlphaContent
{
    /// <summary>1 throughout, or none.</summary>
    None,

    /// <summary>0 or 1 and nothing between.</summary>
    Holes,

    /// <summary>Anything.</summary>
    Smooth,
}

/// <summary>What a picture holds, as far as it decides how it can be stored.</summary>
/// <param name="Alpha">Its alpha.</param>
/// <param name="IsGrey">Whether its colours are equal in every texel.</param>
/// <param name="IsHigh">Whether values lie outside 0 to 1.</param>
/// <param name="IsRamp">Whether most of it rises so slowly that coarse ends show as bands.</param>
public sealed record TextureContent(AlphaContent Alpha, bool IsGrey, bool IsHigh, bool IsRamp)
{
    private const float Step = 1 / 255f, Slow = 6 * Step;

    /// <summary>Looks at a picture of four channels.</summary>
    public static TextureContent Of(Bitmap picture)
    {
        bool grey = true, high = false, open = false, between = false;
        int slow = 0, blocks = 0;
        for (int y = 0; y < picture.Height; y++)
        {
            for (int x = 0; x < picture.Width; x++)
            {
                float r = picture.Unit(x, y, 0), g = picture.Unit(x, y, 1), b = picture.Unit(x, y, 2), a = picture.Unit(x, y, 3);
                grey &= MathF.Abs(r - g) < Step / 2 && MathF.Abs(g - b) < Step / 2;
                high |= MathF.Max(r, MathF.Max(g, b)) > 1 + Step || MathF.Min(r, MathF.Min(g, b)) < -Step;
                open |= a < 1 - Step / 2;
                between |= a > Step / 2 && a < 1 - Step / 2;
            }
        }
        for (int y = 0; y + 4 <= picture.Height; y += 4)
        {
            for (int x = 0; x + 4 <= picture.Width; x += 4, blocks++)
            {
                float across = picture.Unit(x + 3, y, 1) - picture.Unit(x, y, 1), down = picture.Unit(x, y + 3, 1) - picture.Unit(x, y, 1);
                float rise = MathF.Abs(across) + MathF.Abs(down);
                if (rise > Step / 2 && rise < Slow)
                    slow++;
            }
        }
        return new TextureContent(open ? between ? AlphaContent.Smooth : AlphaContent.Holes : AlphaContent.None, grey, high, blocks > 0 && slow * 2 > blocks);
    }
}

/// <summary>One way to store a picture, measured.</summary>
/// <param name="Format">How texels are stored.</param>
/// <param name="Divisor">1 for the picture's size, 2 for half of it, 4 for a quarter.</param>
/// <param name="Bytes">Memory with all levels.</param>
/// <param name="Error">Mean squared difference, in codes of 8 bits; a degree of a normal counts as the codes it takes.</param>
/// <param name="Psnr">The same in dB; null where nothing differs.</param>
/// <param name="MeanAngleDegrees">For normals: the mean angle, degrees.</param>
public sealed record TextureChoice(TextureFormat Format, int Divisor, long Bytes, double Error, double? Psnr, double? MeanAngleDegrees)
{
    // A degree of a normal, in codes of its channels.
    internal const double CodesADegree = 127.5 * Math.PI / 180;

    /// <summary>For normals: root of the mean square of the angle, degrees, by which choices are weighed: few texels that are far off count.</summary>
    public double? SquareAngleDegrees => MeanAngleDegrees is null ? null : Math.Sqrt(Error) / CodesADegree;
}

/// <summary>All ways to store a picture, and the one that suits it.</summary>
/// <param name="Content">What it holds.</param>
/// <param name="Choices">Ways, the largest first.</param>
/// <param name="Proposed">The one that suits.</param>
/// <param name="Reason">Why, one sentence without a full stop.</param>
/// <param name="Side">Larger side of the picture, texels.</param>
public sealed record ChoicesReport(TextureContent Content, IReadOnlyList<TextureChoice> Choices, TextureChoice Proposed, string Reason, int Side);

/// <summary>What a measurement of choices depends on.</summary>
/// <param name="Meaning">What the numbers mean.</param>
/// <param name="Channels">Channels that are asked for.</param>
/// <param name="Sides">Which sides textures may have: it decides their memory.</param>
public sealed record ChoicesSettings(ColourMeaning Meaning, int Channels, SideRule Sides = SideRule.Any)
{
    /// <summary>Version of this record's meaning.</summary>
    public int Version { get; init; } = 2;
}

/// <summary>Measures the ways to store a picture: <c>picture</c> to a report.</summary>
public sealed class ChoicesJob() : JobKind<ChoicesSettings>("choices", 1)
{
    /// <inheritdoc/>
    public override string Words => "textures to weigh";

    /// <inheritdoc/>
    public override double SecondsAUnit => 1;

    /// <inheritdoc/>
    protected override double Cost(ChoicesSettings settings, IReadOnlyList<StoredFile> inputs) => 0.3;

    /// <inheritdoc/>
    protected override JobOutput Work(ChoicesSettings settings, JobInputs inputs, JobContext context) =>
        new()
        {
            Report = TextureChoices.Measure(ImageFile.Read(inputs.Bytes("picture"), "picture.png"), settings.Meaning, settings.Channels, context.Cancel,
                settings.Sides),
        };
}

/// <summary>Measures the ways to store a picture on a sample of it, by encoding, decoding and, where it is made smaller, enlarging it again.</summary>
public static class TextureChoices
{
    // Sides of the sample and of its pieces, texels.
    private const int SampleSide = 512, Piece = 64;

    // Differences that are not seen: 40 dB in colour, 38 dB in data, half a degree in normals.
    private const double UnseenColour = 6.5, UnseenData = 10.3, UnseenNormal = 1.24;

    /// <summary>The mean square, as <see cref="TextureChoice.Error"/> counts it, that is not seen.</summary>
    /// <param name="meaning">What the numbers mean.</param>
    internal static double Unseen(ColourMeaning meaning) =>
        meaning switch { ColourMeaning.Srgb => UnseenColour, ColourMeaning.Normal => UnseenNormal, _ => UnseenData };

    private static readonly int[] Divisors = [1, 2, 4];

    /// <summary>Measures a picture.</summary>
    /// <param name="picture">Any picture.</param>
    /// <param name="meaning">What the numbers mean.</param>
    /// <param name="channels">Channels that are asked for; alpha counts as data where it is the fourth.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <param name="sides">Which sides textures may have.</param>
    public static ChoicesReport Measure(Bitmap picture, ColourMeaning meaning, int channels, CancellationToken cancel, SideRule sides = SideRule.Any)
    {
        var sample = Sample(TextureConverter.ToFour(picture));
        var content = TextureContent.Of(sample);
        var mips = new MipSettings(MipFilter.Kaiser, meaning);
        var choices = new List<TextureChoice>();
        foreach (int divisor in Divisors)
        {
            var (width, height) = TextureConverter.SizeFor(picture.Width, picture.Height, HeldTo(Math.Max(picture.Width, picture.Height), divisor), sides);
            var small = MipChain.Resize(sample, Math.Max(1, sample.Width / divisor), Math.Max(1, sample.Height / divisor), mips, 1, cancel);
            foreach (var format in For(content, meaning, channels))
            {
                var texture = TextureConverter.Convert(small, new ConvertSettings(format, meaning, MipFilter.None) { Effort = Effort.Draft }, 1, null, cancel);
                var back = Enlarged(texture, small is Bitmap8, sample, mips, cancel);
                var (error, angle) = Difference(sample, back, meaning, format);
                double? decibels = error > 0 ? 10 * Math.Log10(255 * 255 / error) : null;
                choices.Add(new TextureChoice(format, divisor, format.ChainBytes(width, height), error, decibels, angle));
            }
        }
        var (proposed, reason) = Propose(content, meaning, [.. choices.Where(c => c.Divisor == 1)]);
        return new ChoicesReport(content, [.. choices.OrderByDescending(c => c.Bytes)], proposed, reason, Math.Max(picture.Width, picture.Height));
    }

    /// <summary>What a texture's longest side is held to, so that it is so many times smaller than its picture; null for its size.</summary>
    /// <param name="side">Longest side of the picture.</param>
    /// <param name="divisor">1, 2 or 4.</param>
    public static int? HeldTo(int side, int divisor) => divisor == 1 ? null : Math.Max(4, side / divisor);

    /// <summary>Formats that can hold what a picture holds, those that keep most first.</summary>
    public static IReadOnlyList<TextureFormat> For(TextureContent content, ColourMeaning meaning, int channels) =>
        content.IsHigh ? [TextureFormat.Rgba16Float, TextureFormat.Rgb9E5, TextureFormat.Bc6]
        : meaning == ColourMeaning.Normal && channels < 4 ? [TextureFormat.Rgba8, TextureFormat.Bc7, TextureFormat.Bc5]
        : channels == 1 ? [TextureFormat.R8, TextureFormat.Bc7, TextureFormat.Bc4]
        : content.Alpha == AlphaContent.Smooth ? [TextureFormat.Rgba8, TextureFormat.Bc7, TextureFormat.Bc3]
        : content.Alpha == AlphaContent.Holes ? [TextureFormat.Rgba8, TextureFormat.Bc7, TextureFormat.Bc1Holes]
        : [TextureFormat.Rgba8, TextureFormat.Bc7, TextureFormat.Bc1];

    private static (TextureChoice, string) Propose(TextureContent content, ColourMeaning meaning, IReadOnlyList<TextureChoice> whole)
    {
        double unseen = Unseen(meaning);
        bool Bands(TextureChoice c) => content.IsRamp && (c.Format == TextureFormat.Bc1 || c.Format == TextureFormat.Bc1Holes);
        var chosen = whole.Where(c => c.Format.HasBlocks && c.Error <= unseen && !Bands(c)).OrderBy(c => c.Bytes).ThenBy(c => c.Error).FirstOrDefault();
        string measured(TextureChoice c) => c.SquareAngleDegrees is { } angle ? FormattableString.Invariant($"{angle:0.00}° rms from the picture")
            : c.Psnr is { } db ? FormattableString.Invariant($"{db:0.0} dB") : "exact";
        string what = content.IsHigh ? "values above 1" : meaning == ColourMeaning.Normal ? "normals"
            : content.Alpha switch { AlphaContent.Smooth => "a smooth alpha", AlphaContent.Holes => "holes", _ => content.IsGrey ? "grey" : "no alpha" };
        if (chosen is not null)
            return (chosen, $"it holds {what}{(content.IsRamp ? " and slow ramps, which BC1 shows as bands" : "")}; of what keeps the loss unseen "
                + $"{chosen.Format.Label} takes least memory ({measured(chosen)})");
        var best = whole.Where(c => c.Format.HasBlocks).MinBy(c => c.Error)!;
        return (best, $"it holds {what}; {best.Format.Label} loses least of what is compressed ({measured(best)})");
    }

    /// <summary>The picture itself, or pieces of a large one side by side, spread evenly over it.</summary>
    private static Bitmap Sample(Bitmap picture)
    {
        if ((long)picture.Width * picture.Height <= SampleSide * SampleSide)
            return picture;
        int across = Math.Min(SampleSide, picture.Width) / Piece, down = Math.Min(SampleSide, picture.Height) / Piece;
        if (across == 0 || down == 0)
            return picture;
        int width = across * Piece, height = down * Piece;
        var bytes = picture is Bitmap8 ? new Bitmap8(width, height, 4) : null;
        var numbers = picture is Bitmap8 ? null : new Bitmap32(width, height, 4);
        for (int y = 0; y < height; y++)
        {
            for (int x = 0; x < width; x++)
            {
                // Pieces begin on multiples of four, as blocks do.
                int left = (int)((long)(x / Piece) * (picture.Width - Piece) / Math.Max(1, across - 1)) / 4 * 4;
                int top = (int)((long)(y / Piece) * (picture.Height - Piece) / Math.Max(1, down - 1)) / 4 * 4;
                for (int c = 0; c < 4; c++)
                {
                    if (bytes is not null)
                        bytes.Pixels[(y * width + x) * 4 + c] = ((Bitmap8)picture).Pixels[((top + y % Piece) * picture.Width + left + x % Piece) * 4 + c];
                    else
                        numbers!.Pixels[(y * width + x) * 4 + c] = picture.Unit(left + x % Piece, top + y % Piece, c);
                }
            }
        }
        return (Bitmap?)bytes ?? numbers!;
    }

    private static Bitmap Enlarged(Texture texture, bool isBytes, Bitmap sample, MipSettings mips, CancellationToken cancel)
    {
        Bitmap decoded = isBytes ? BlockCodec.Decode(texture.Level(0), texture.Width, texture.Height, texture.Format)
            : BlockCodec.DecodeValues(texture.Level(0), texture.Width, texture.Height, texture.Format);
        if (mips.Meaning == ColourMeaning.Normal && texture.Format.RebuildsThird)
            Rebuild((Bitmap8)decoded);
        return MipChain.Resize(decoded, sample.Width, sample.Height, mips, 1, cancel);
    }

    private static void Rebuild(Bitmap8 normals)
    {
        for (int i = 0; i < normals.Pixels.Length; i += 4)
        {
            float x = normals.Pixels[i] / 127.5f - 1, y = normals.Pixels[i + 1] / 127.5f - 1;
            normals.Pixels[i + 2] = (byte)(MathF.Sqrt(MathF.Max(0, 1 - x * x - y * y)) * 127.5f + 128);
        }
    }

    private static (double Error, double? Angle) Difference(Bitmap a, Bitmap b, ColourMeaning meaning, TextureFormat format)
    {
        double sum = 0, angles = 0;
        int channels = format.Channels == 4 ? 4 : format.Channels == 1 ? 1 : 3;
        for (int y = 0; y < a.Height; y++)
        {
            for (int x = 0; x < a.Width; x++)
            {
                if (meaning == ColourMeaning.Normal)
                {
                    Vector3 p = Normal(a, x, y), q = Normal(b, x, y);
                    double degrees = Math.Atan2(Vector3.Cross(p, q).Length(), Vector3.Dot(p, q)) * 180 / Math.PI;
                    angles += degrees;
                    sum += degrees * degrees * TextureChoice.CodesADegree * TextureChoice.CodesADegree;
                    continue;
                }
                // Nobody sees the colour of a hole.
                double own = 0;
                for (int c = format.HasHoles && a.Unit(x, y, 3) < 0.5f ? 3 : 0; c < channels; c++)
                {
                    double d = 255 * (a.Unit(x, y, c) - b.Unit(x, y, c));
                    own += d * d;
                }
                sum += own / channels;
            }
        }
        double texels = (double)a.Width * a.Height;
        return (sum / texels, meaning == ColourMeaning.Normal ? angles / texels : null);
    }

    private static Vector3 Normal(Bitmap picture, int x, int y) =>
        new Vector3(picture.Unit(x, y, 0), picture.Unit(x, y, 1), picture.Unit(x, y, 2)) * 2 - Vector3.One;
}
