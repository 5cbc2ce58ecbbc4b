using System.Numerics;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Convert;

/// <summary>What a conversion is asked to do.</summary>
/// <param name="Format">How texels are stored.</param>
/// <param name="Meaning">What the numbers mean.</param>
/// <param name="Mips">How smaller levels are filtered.</param>
public sealed record ConvertSettings(TextureFormat Format, ColourMeaning Meaning, MipFilter Mips = MipFilter.Kaiser)
{
    /// <summary>Version of this record's meaning; part of every conversion's key.</summary>
    public int Version { get; init; } = 3;

    /// <summary>How long the encoder may search.</summary>
    public Effort Effort { get; init; } = Effort.Normal;

    /// <summary>What file it is put into.</summary>
    public TextureFile File { get; init; } = TextureFile.Dds;

    /// <summary>Bits a channel of a loose picture.</summary>
    [OneOf("The bits of a picture", 8, 16, 32)]
    public int Bits { get; init; } = 8;

    /// <summary>Largest side, texels; null for the picture's own. What is larger is filtered down before it is compressed.</summary>
    [Within("The size of a texture", 1, Texture.LargestSide)]
    public int? Size { get; init; }

    /// <summary>Which sides it may have.</summary>
    public SideRule Sides { get; init; }

    /// <summary>Whether the picture goes on at its other side.</summary>
    public bool Wraps { get; init; }

    /// <summary>What a recipe says of an output, and a target of its textures.</summary>
    /// <param name="output">The output.</param>
    /// <param name="target">What the engine takes.</param>
    /// <param name="side">Longest side of its picture, pixels, so that limits it keeps anyway say nothing.</param>
    public static ConvertSettings For(RecipeOutput output, Target target, int side)
    {
        var file = target.Made;
        int bits = file.Picture is not { } picture ? 8 : picture.Bits.LastOrDefault(b => b <= output.Bits && !picture.IsFloat(b), picture.Bits[0]);
        return new ConvertSettings(output.StoredAs(target), output.Meaning, file.Picture is null ? output.Mips : MipFilter.None)
        {
            File = file,
            Bits = bits,
            Effort = file.Picture is null ? output.Level : Effort.Normal,
            Size = Math.Min(output.Largest ?? int.MaxValue, target.LargestTexture) is var most && most < side ? most : null,
            Sides = output.Sides,
        };
    }
}

/// <summary>A texture and what was compressed.</summary>
/// <param name="Texture">The texture.</param>
/// <param name="Source">The picture, at the texture's size, four channels.</param>
public sealed record Conversion(Texture Texture, Bitmap Source)
{
    /// <summary>Texels of all levels.</summary>
    public long Texels => Enumerable.Range(0, Texture.Levels.Count).Sum(l => (long)Texture.LevelSize(l).Width * Texture.LevelSize(l).Height);
}

/// <summary>Makes textures from pictures.</summary>
public static class TextureConverter
{
    // Little pictures, closed and open, smooth and not, that what is measured is the work and not the compiler.
    private static readonly Bitmap8[] Warm = [.. Enumerable.Range(0, 3).Select(k => new Bitmap8(64, 16, 4,
        [.. Enumerable.Range(0, 64 * 16 * 4).Select(i => (byte)(i % 4 == 3 && k > 0 ? 255 : k == 2 ? i / 64 : i * 37 % 251))]))];

    /// <summary>Converts a picture. The result does not depend on <paramref name="threads"/>.</summary>
    /// <param name="source">1 to 4 channels.</param>
    /// <param name="settings">What to make.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told as blocks are done.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Texture Convert(Bitmap source, ConvertSettings settings, int threads, IProgress<Progress>? progress = null,
        CancellationToken cancel = default) => Work(source, settings, threads, progress, null, null, cancel).Texture;

    /// <summary>The same, with what was compressed.</summary>
    /// <param name="source">1 to 4 channels.</param>
    /// <param name="settings">What to make.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="progress">Told as blocks are done.</param>
    /// <param name="normals">Normals whose spread the roughness of smaller levels takes up; null for none.</param>
    /// <param name="encoding">Told true as the block encoder begins, compiled already, and false as it ends; null where nobody asks.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Conversion Work(Bitmap source, ConvertSettings settings, int threads, IProgress<Progress>? progress, Bitmap? normals,
        Action<bool>? encoding, CancellationToken cancel)
    {
        var mips = new MipSettings(settings.Mips, settings.Meaning)
        {
            Wraps = settings.Wraps,
            KeepsCoverage = settings.Format.HasHoles,
            Normals = normals is null ? null : ToRgba(normals),
        };
        var rgba = Sized(ToFour(source), settings, mips, threads, cancel);
        var chain = MipChain.Build(rgba, mips, threads, cancel);
        var how = EncodeSettings.For(settings.Effort, settings.Meaning);
        if (encoding is not null)
            BlockCodec.Encode(Warm, settings.Format, how, threads, null, cancel);
        encoding?.Invoke(true);
        var levels = BlockCodec.Encode(chain, settings.Format, how, threads, progress, cancel);
        encoding?.Invoke(false);
        bool srgb = settings.Meaning == ColourMeaning.Srgb && settings.Format.VkSrgb is not null;
        return new Conversion(new Texture(rgba.Width, rgba.Height, settings.Format, srgb, levels), rgba);
    }

    /// <summary>Sides of a texture: where the picture is larger than it may be both shrink alike, and then each to what sides may be.</summary>
    /// <param name="width">Of the picture.</param>
    /// <param name="height">Of the picture.</param>
    /// <param name="largest">Longest side, or null for any.</param>
    /// <param name="sides">Which sides it may have; none gets longer than is read again.</param>
    public static (int Width, int Height) SizeFor(int width, int height, int? largest, SideRule sides = SideRule.Any)
    {
        if (largest is { } most && Math.Max(width, height) > most)
        {
            double scale = (double)most / Math.Max(width, height);
            (width, height) = (Math.Max(1, (int)Math.Round(width * scale)), Math.Max(1, (int)Math.Round(height * scale)));
        }
        return (Side(width), Side(height));

        int Side(int side)
        {
            int below = 1 << BitOperations.Log2((uint)side);
            // Nothing grows over what it may be at most.
            return sides == SideRule.Any || below == side ? side
                : sides == SideRule.PowersUp && 2 * below <= Math.Min(largest ?? Texture.LargestSide, Texture.LargestSide) ? 2 * below : below;
        }
    }

    private static Bitmap Sized(Bitmap rgba, ConvertSettings settings, MipSettings mips, int threads, CancellationToken cancel)
    {
        var (width, height) = SizeFor(rgba.Width, rgba.Height, settings.Size, settings.Sides);
        var filter = mips.Filter == MipFilter.None ? mips with { Filter = MipFilter.Kaiser } : mips;
        return MipChain.Resize(rgba, width, height, filter, threads, cancel);
    }

    /// <summary>Any picture with four channels: grey is repeated, a missing alpha is 1; 8 bits stay so, all else becomes numbers.</summary>
    public static Bitmap ToFour(Bitmap source)
    {
        if (source is Bitmap8)
            return ToRgba(source);
        var result = new Bitmap32(source.Width, source.Height, 4);
        for (int y = 0, i = 0; y < source.Height; y++)
            for (int x = 0; x < source.Width; x++)
                for (int c = 0; c < 4; c++, i++)
                    result.Pixels[i] = Unit(source, x, y, c);
        return result;
    }

    /// <summary>Any picture as 8-bit RGBA: grey is repeated, a missing alpha is 255.</summary>
    public static Bitmap8 ToRgba(Bitmap source)
    {
        if (source is Bitmap8 { Channels: 4 } same)
            return same;
        var result = new Bitmap8(source.Width, source.Height, 4);
        for (int y = 0, i = 0; y < source.Height; y++)
            for (int x = 0; x < source.Width; x++)
                for (int c = 0; c < 4; c++, i++)
                    result.Pixels[i] = (byte)(Math.Clamp(Unit(source, x, y, c), 0, 1) * 255 + 0.5f);
        return result;
    }

    /// <summary>A channel of RGBA as a share of full scale; what is no number counts as none.</summary>
    private static float Unit(Bitmap source, int x, int y, int channel)
    {
        if (channel == 3 && source.Channels is 1 or 3)
            return 1;
        float value = source.Unit(x, y, channel == 3 ? source.Channels - 1 : source.Channels < 3 ? 0 : channel);
        return float.IsFinite(value) ? value : 0;
    }
}
