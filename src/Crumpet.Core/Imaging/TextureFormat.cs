using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

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

/// <summary>Works one block: 16 RGBA texels, row by row, into its bytes, or back.</summary>
/// <param name="from">What is read.</param>
/// <param name="to">What is filled.</param>
internal delegate void BlockWork(ReadOnlySpan<byte> from, Span<byte> to);

/// <summary>How a texture's texels are stored: all that is known of a format. A new one is an entry here with its two block functions.</summary>
[JsonConverter(typeof(EntryJson<TextureFormat>)), TypeConverter(typeof(EntryText<TextureFormat>))]
public sealed class TextureFormat : IEntry<TextureFormat>
{
    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it.</summary>
    public required string Label { get; init; }

    /// <summary>What it holds, without a full stop.</summary>
    public required string Holds { get; init; }

    /// <summary>Channels it keeps, from red on.</summary>
    public required int Channels { get; init; }

    /// <summary>Bytes of a 4 × 4 block, or of a texel where there are no blocks.</summary>
    public required int UnitBytes { get; init; }

    /// <summary>Channels of a picture it is decoded to.</summary>
    public required int PictureChannels { get; init; }

    /// <summary>Number in a DDS header of 2006 and later; without the sRGB transfer.</summary>
    public required int Dxgi { get; init; }

    /// <summary>The same with the sRGB transfer; null where there is none.</summary>
    public int? DxgiSrgb { get; init; }

    /// <summary>Code in the short header that older readers know; null where it has none.</summary>
    internal string? ShortCode { get; init; }

    /// <summary>Makes a thread's encoder of blocks; null where texels are stored as they are.</summary>
    internal Func<BlockWork>? Encoder { get; init; }

    /// <summary>Decodes a block; channels it lacks are 0, alpha 255.</summary>
    internal BlockWork? Decode { get; init; }

    /// <summary>Whether texels are stored in blocks of 4 × 4.</summary>
    public bool HasBlocks => Encoder is not null;

    /// <summary>Whether a normal's third component is left out, and a shader makes it again.</summary>
    public bool RebuildsThird => Channels == 2;

    /// <summary>RGB in 4 bits a texel.</summary>
    public static TextureFormat Bc1 { get; } = new()
    {
        Word = "bc1",
        Label = "BC1",
        Holds = "RGB in 4 bits a texel",
        Channels = 3,
        UnitBytes = 8,
        PictureChannels = 3,
        Dxgi = 71,
        DxgiSrgb = 72,
        ShortCode = "DXT1",
        Encoder = () => ColourBlock.Encode,
        Decode = ColourBlock.Decode,
    };

    /// <summary>One channel in 4 bits a texel.</summary>
    public static TextureFormat Bc4 { get; } = new()
    {
        Word = "bc4",
        Label = "BC4",
        Holds = "one channel in 4 bits a texel",
        Channels = 1,
        UnitBytes = 8,
        PictureChannels = 1,
        Dxgi = 80,
        Encoder = () => (from, to) => ScalarBlock.EncodeChannels(from, to, 1),
        Decode = (from, to) => ScalarBlock.DecodeChannels(from, to, 1),
    };

    /// <summary>Two channels in 8 bits a texel.</summary>
    public static TextureFormat Bc5 { get; } = new()
    {
        Word = "bc5",
        Label = "BC5",
        Holds = "two channels in 8 bits a texel; for normals, whose third component a shader makes again",
        Channels = 2,
        UnitBytes = 16,
        PictureChannels = 3,
        Dxgi = 83,
        Encoder = () => (from, to) => ScalarBlock.EncodeChannels(from, to, 2),
        Decode = (from, to) => ScalarBlock.DecodeChannels(from, to, 2),
    };

    /// <summary>RGBA in 8 bits a texel.</summary>
    public static TextureFormat Bc7 { get; } = new()
    {
        Word = "bc7",
        Label = "BC7",
        Holds = "RGBA in 8 bits a texel",
        Channels = 4,
        UnitBytes = 16,
        PictureChannels = 4,
        Dxgi = 98,
        DxgiSrgb = 99,
        Encoder = () => new Bc7Encoder().Encode,
        Decode = Bc7Decoder.Decode,
    };

    /// <summary>RGBA uncompressed, 32 bits a texel.</summary>
    public static TextureFormat Rgba8 { get; } = new()
    {
        Word = "rgba8",
        Label = "RGBA8",
        Holds = "RGBA uncompressed, 32 bits a texel",
        Channels = 4,
        UnitBytes = 4,
        PictureChannels = 4,
        Dxgi = 28,
        DxgiSrgb = 29,
    };

    /// <inheritdoc/>
    public static Table<TextureFormat> Table { get; } = new("texture format", Bc1, Bc4, Bc5, Bc7, Rgba8);

    /// <summary>Names of all formats, with commas between.</summary>
    public static string Labels => string.Join(", ", Table.All.Select(f => f.Label));

    /// <summary>Bytes of one level.</summary>
    public int LevelBytes(int width, int height) => HasBlocks ? (width + 3) / 4 * ((height + 3) / 4) * UnitBytes : width * height * UnitBytes;

    /// <inheritdoc/>
    public override string ToString() => Word;
}
