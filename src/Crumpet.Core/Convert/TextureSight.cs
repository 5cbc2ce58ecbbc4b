using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>A texture beside the picture it was made from, level by level.</summary>
public sealed class TextureSight
{
    private readonly MipSettings mips;
    private readonly IReadOnlyList<Bitmap> sources;
    private readonly Bitmap[] decoded;
    private readonly TexelComparison?[] compared;

    /// <summary>Sets them side by side: the picture is brought to the texture's size and filtered as it was.</summary>
    /// <param name="picture">The picture, of any size.</param>
    /// <param name="texture">What was made of it.</param>
    /// <param name="meaning">What the numbers mean.</param>
    /// <param name="filter">How its levels were filtered.</param>
    /// <param name="wraps">Whether the picture goes on at its other side.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public TextureSight(Bitmap picture, Texture texture, ColourMeaning meaning, MipFilter filter, bool wraps, int threads, CancellationToken cancel = default)
    {
        (Texture, Meaning) = (texture, meaning);
        mips = new MipSettings(filter, meaning) { Wraps = wraps, KeepsCoverage = texture.Format.HasHoles };
        var whole = MipChain.Resize(TextureConverter.ToFour(picture), texture.Width, texture.Height,
            filter == MipFilter.None ? mips with { Filter = MipFilter.Kaiser } : mips, threads, cancel);
        sources = texture.Levels.Count == 1 ? [whole] : MipChain.Build(whole, mips, threads, cancel);
        decoded = new Bitmap[texture.Levels.Count];
        compared = new TexelComparison?[texture.Levels.Count];
        if (sources.Count < texture.Levels.Count)
            throw new ArgumentException("the texture has more levels than its filter gives", nameof(filter));
    }

    /// <summary>The texture.</summary>
    public Texture Texture { get; }

    /// <summary>What the numbers mean.</summary>
    public ColourMeaning Meaning { get; }

    /// <summary>What a level was compressed from, four channels.</summary>
    public Bitmap Source(int level) => sources[level];

    /// <summary>A level beside what it was compressed from.</summary>
    internal TexelComparison Compare(int level) => compared[level] ??= new TexelComparison(sources[level], Decoded(level), Texture.Format, Meaning);

    /// <summary>Gives a level band by band, in no order, on several threads: beside what it was compressed from, or drawn large beside the picture.</summary>
    /// <param name="level">Level from 0.</param>
    /// <param name="isSoft">Whether it is drawn large.</param>
    /// <param name="rows">Rows of a band.</param>
    /// <param name="bands">How many; the last goes on to the end.</param>
    /// <param name="step">1 for all of them; 2 for every second.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="work">Takes the texels, the first row, how many rows, and how many texels a row has.</param>
    /// <param name="cancel">Ends the work early.</param>
    internal void EachBand(int level, bool isSoft, int rows, int bands, int step, int threads,
        Action<TexelComparison, int, int, int> work, CancellationToken cancel)
    {
        var (width, height) = isSoft ? (Texture.Width, Texture.Height) : Texture.LevelSize(level);
        var large = isSoft && level > 0 ? new Enlargement(Plain(level), width, height, Meaning, mips.Wraps) : null;
        var texels = Compare(isSoft ? 0 : level);
        Parallel.For(0, (bands + step - 1) / step, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, number =>
        {
            int band = number * step, top = band * rows, count = band == bands - 1 ? height - top : rows;
            // A tall band is drawn in strips, so that little is held at once.
            const int Strip = 16;
            for (int y = top; y < top + count; y += Strip)
            {
                int strip = Math.Min(Strip, top + count - y);
                work(large is null ? texels : texels.Beside(large.Band(y, strip), y), y, strip, width);
            }
        });
    }

    /// <summary>Sum of the variances of the channels that count, in squares of codes of 255.</summary>
    internal double Variance()
    {
        var source = sources[0];
        var texels = Compare(0);
        int channels = texels.Channels;
        double[] sums = new double[channels], squares = new double[channels];
        for (int y = 0; y < source.Height; y++)
        {
            for (int x = 0; x < source.Width; x++)
            {
                for (int c = 0; c < channels; c++)
                {
                    double value = texels.Scaled(source.Unit(x, y, c));
                    sums[c] += value;
                    squares[c] += value * value;
                }
            }
        }
        double count = (double)source.Width * source.Height;
        return sums.Zip(squares, (s, q) => q / count - s / count * (s / count)).Sum();
    }

    private Bitmap Decoded(int level)
    {
        var (width, height) = Texture.LevelSize(level);
        return decoded[level] ??= BlockCodec.DecodeAny(Texture.Level(level), width, height, Texture.Format);
    }

    // Numbers as a picture has them: nothing signed, normals with all three components.
    private Bitmap Plain(int level)
    {
        var from = Decoded(level);
        var format = Texture.Format;
        bool isSigned = format.Range == TexelRange.SignedUnit, rebuilds = format.RebuildsThird && Meaning == ColourMeaning.Normal;
        if (!isSigned && !rebuilds)
            return from;
        var plain = new Bitmap32(from.Width, from.Height, 4);
        for (int y = 0; y < from.Height; y++)
        {
            for (int x = 0; x < from.Width; x++)
            {
                var value = new Vector4(from.Unit(x, y, 0), from.Unit(x, y, 1), from.Unit(x, y, 2), 1);
                if (isSigned)
                    value = value * 0.5f + new Vector4(0.5f);
                if (rebuilds)
                {
                    float a = value.X * 2 - 1, b = value.Y * 2 - 1;
                    value.Z = MathF.Sqrt(MathF.Max(0, 1 - a * a - b * b)) * 0.5f + 0.5f;
                }
                value.CopyTo(plain.Pixels.AsSpan(4 * (y * from.Width + x), 4));
            }
        }
        return plain;
    }
}
