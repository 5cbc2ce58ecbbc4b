using System.ComponentModel;
using System.Numerics;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Imaging;

/// <summary>What a picture's numbers mean.</summary>
public enum ColourMeaning
{
    /// <summary>Colour seen by people, stored with the sRGB transfer.</summary>
    Srgb,

    /// <summary>Plain numbers.</summary>
    Linear,

    /// <summary>A tangent-space normal: filtered as a vector.</summary>
    Normal,
}

/// <summary>Which numbers a format can say.</summary>
public enum TexelRange
{
    /// <summary>0 to 1.</summary>
    Unit,

    /// <summary>−1 to 1.</summary>
    SignedUnit,

    /// <summary>From 0 up, brighter than white too.</summary>
    High,

    /// <summary>Below 0 and above 1.</summary>
    SignedHigh,
}

/// <summary>How much time an encoder takes for a block.</summary>
public enum Effort
{
    /// <summary>For looking at while working.</summary>
    Draft,

    /// <summary>For every day.</summary>
    Normal,

    /// <summary>For what leaves the house.</summary>
    Best,
}

/// <summary>What an encoder is told beside the texels.</summary>
/// <param name="Effort">How long it may search.</param>
/// <param name="Weights">What an error in each channel counts, relative to the others.</param>
public sealed record EncodeSettings(Effort Effort, Vector4 Weights)
{
    /// <summary>Normal effort, all channels alike.</summary>
    public static EncodeSettings Default { get; } = new(Effort.Normal, Vector4.One);

    /// <summary>Settings for a meaning: an eye sees green more than red, and red more than blue.</summary>
    /// <param name="effort">How long it may search.</param>
    /// <param name="meaning">What the numbers mean.</param>
    public static EncodeSettings For(Effort effort, ColourMeaning meaning) =>
        new(effort, meaning == ColourMeaning.Srgb ? new Vector4(1, 1.2f, 0.8f, 1) : Vector4.One);
}

/// <summary>How a browser's graphics (WebGL) take a format as it is.</summary>
/// <param name="Extension">Name of the extension that brings it.</param>
/// <param name="Number">Number of the format, without the sRGB transfer.</param>
public sealed record CardFormat(string Extension, int Number);

/// <summary>Decodes a block to RGBA, row by row: bytes, or numbers of the format's range.</summary>
/// <param name="from">The block.</param>
/// <param name="to">Its texels.</param>
internal delegate void BlockWork<T>(ReadOnlySpan<byte> from, Span<T> to);

/// <summary>Stores a texel that is not compressed.</summary>
/// <param name="from">RGBA, numbers of the format's range.</param>
/// <param name="to">Its bytes.</param>
internal delegate void TexelWork(ReadOnlySpan<float> from, Span<byte> to);

/// <summary>How a texture's texels are stored: all that is known of a format. A new one is an entry in the table with its encoder and its decoder.</summary>
[JsonConverter(typeof(EntryJson<TextureFormat>)), TypeConverter(typeof(EntryText<TextureFormat>))]
public sealed partial class TextureFormat : IEntry<TextureFormat>
{
    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it.</summary>
    public required string Label { get; init; }

    /// <summary>What it holds, without a full stop.</summary>
    public required string Holds { get; init; }

    /// <summary>Channels it keeps, from red on.</summary>
    public required int Channels { get; init; }

    /// <summary>Bytes of a block, or of a texel where there are no blocks.</summary>
    public required int UnitBytes { get; init; }

    /// <summary>Texels of a block's width; 1 where there are no blocks.</summary>
    public int BlockWidth { get; init; } = 4;

    /// <summary>Texels of a block's height.</summary>
    public int BlockHeight { get; init; } = 4;

    /// <summary>Which numbers it can say.</summary>
    public TexelRange Range { get; init; }

    /// <summary>Whether its alpha is open or closed and nothing between.</summary>
    public bool HasHoles { get; init; }

    /// <summary>Number in a DDS header of 2006 and later, without the sRGB transfer; null where DDS has none.</summary>
    public int? Dxgi { get; init; }

    /// <summary>The same with the sRGB transfer; null where there is none.</summary>
    public int? DxgiSrgb { get; init; }

    /// <summary>Number in a KTX2 header, without the sRGB transfer; 0 where the data format descriptor alone says it.</summary>
    public required int Vk { get; init; }

    /// <summary>The same with the sRGB transfer; null where there is none.</summary>
    public int? VkSrgb { get; init; }

    /// <summary>How a browser's graphics take it; null where they do not, or where there is nothing to decode.</summary>
    public CardFormat? Card { get; init; }

    /// <summary>Codes in the short DDS header that older readers know, the one that is written first; empty where it has none.</summary>
    internal IReadOnlyList<string> ShortCodes { get; init; } = [];

    /// <summary>Whether a file with the short header is written where no sRGB transfer has to be said.</summary>
    internal bool WritesShort { get; init; }

    /// <summary>How the data format descriptor of a KTX2 file describes it.</summary>
    internal Descriptor Described { get; init; } = new(0);

    /// <summary>Makes a thread's encoder of blocks; null where texels are stored as they are.</summary>
    internal Func<EncodeSettings, BlockEncoder>? Encoder { get; init; }

    /// <summary>
    /// Decodes a block to bytes; channels it lacks are 0, alpha 255, and −1 to 1 is 0 to 255. Null where they are made of the numbers.
    /// </summary>
    internal BlockWork<byte>? Decode { get; init; }

    /// <summary>Decodes a block, or a texel, to numbers; null where bytes say all.</summary>
    internal BlockWork<float>? DecodeFine { get; init; }

    /// <summary>Stores a texel; null where there are blocks.</summary>
    internal TexelWork? Store { get; init; }

    /// <summary>Whether texels are stored in blocks.</summary>
    public bool HasBlocks => Encoder is not null;

    /// <summary>Whether it says more than bytes can.</summary>
    public bool IsFine => DecodeFine is not null;

    /// <summary>Whether it is looked at as numbers: what is brighter than white, and more than bytes that is not compressed.</summary>
    public bool ShowsNumbers => IsFine && (!HasBlocks || Range is TexelRange.High or TexelRange.SignedHigh);

    /// <summary>Whether a normal's third component is left out, and a shader makes it again.</summary>
    public bool RebuildsThird => Channels == 2;

    /// <summary>Channels of a picture it is decoded to.</summary>
    public int PictureChannels => Channels == 2 ? 3 : Channels;

    /// <summary>Bits a texel.</summary>
    public double BitsATexel => 8.0 * UnitBytes / (BlockWidth * BlockHeight);

    /// <summary>Names of all formats, with commas between.</summary>
    public static string Labels => string.Join(", ", Table.All.Select(f => f.Label));

    /// <summary>Bytes of one level.</summary>
    public int LevelBytes(int width, int height) => checked((int)LongLevelBytes(width, height));

    /// <summary>The same where it may be more than an array holds.</summary>
    public long LongLevelBytes(int width, int height) =>
        (long)((width + BlockWidth - 1) / BlockWidth) * ((height + BlockHeight - 1) / BlockHeight) * UnitBytes;

    /// <summary>Bytes of a texture with all its levels, as they lie on the card.</summary>
    public long ChainBytes(int width, int height)
    {
        long bytes = 0;
        for (; ; (width, height) = (Math.Max(1, width / 2), Math.Max(1, height / 2)))
        {
            bytes += LevelBytes(width, height);
            if (width == 1 && height == 1)
                return bytes;
        }
    }

    /// <inheritdoc/>
    public override string ToString() => Word;

    /// <summary>The basic block of a KTX2 data format descriptor.</summary>
    /// <param name="Model">Colour model.</param>
    /// <param name="Samples">Its samples.</param>
    internal sealed record Descriptor(byte Model, params IReadOnlyList<DescribedSample> Samples);

    /// <summary>A sample of a data format descriptor.</summary>
    /// <param name="Offset">First bit.</param>
    /// <param name="Bits">Bits.</param>
    /// <param name="Channel">Number of the channel in its model.</param>
    /// <param name="Qualifiers">Linear, exponent, signed or floating point.</param>
    /// <param name="Lower">Number that stands for 0 or −1.</param>
    /// <param name="Upper">Number that stands for 1.</param>
    internal readonly record struct DescribedSample(int Offset, int Bits, int Channel, int Qualifiers, uint Lower, uint Upper);
}
