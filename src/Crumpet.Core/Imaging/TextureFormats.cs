using System.Numerics;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Imaging;

/// <content>The table.</content>
public sealed partial class TextureFormat
{
    private const byte PlainModel = 1;
    private const int AlphaChannel = 15, Signed = 0x40, Float = 0x80, Exponent = 0x20;
    private const string S3tc = "WEBGL_compressed_texture_s3tc", Rgtc = "EXT_texture_compression_rgtc", Bptc = "EXT_texture_compression_bptc";
    private const uint One = 0x3f800000, MinusOne = 0xbf800000;

    /// <summary>RGB in 4 bits a texel.</summary>
    public static TextureFormat Bc1 { get; } = new()
    {
        Word = "bc1",
        Label = "BC1",
        Holds = "RGB in 4 bits a texel",
        Channels = 3,
        UnitBytes = 8,
        Dxgi = 71,
        DxgiSrgb = 72,
        Vk = 131,
        VkSrgb = 132,
        ShortCodes = ["DXT1"],
        WritesShort = true,
        Card = new(S3tc, 0x83f0),
        Described = new(128, new DescribedSample(0, 64, 0, 0, 0, uint.MaxValue)),
        Encoder = s => new Bc1Encoder(Bc1Use.Opaque, s.Effort, new Vector3(s.Weights.X, s.Weights.Y, s.Weights.Z)),
        Decode = (from, to) => Bc1Decoder.Decode(from, to),
    };

    /// <summary>RGB and holes in 4 bits a texel. DDS says the same of it as of BC1.</summary>
    public static TextureFormat Bc1Holes { get; } = new()
    {
        Word = "bc1a",
        Label = "BC1 with holes",
        Holds = "RGB in 4 bits a texel, and alpha that is open or closed",
        Channels = 4,
        UnitBytes = 8,
        HasHoles = true,
        Vk = 133,
        VkSrgb = 134,
        Dxgi = 71,
        DxgiSrgb = 72,
        WritesShort = true,
        ShortCodes = ["DXT1"],
        Card = new(S3tc, 0x83f1),
        Described = new(128, new DescribedSample(0, 64, 1, 0, 0, uint.MaxValue)),
        Encoder = s => new Bc1Encoder(Bc1Use.Cutout, s.Effort, new Vector3(s.Weights.X, s.Weights.Y, s.Weights.Z)),
        Decode = (from, to) => Bc1Decoder.Decode(from, to),
    };

    /// <summary>RGB and alpha in 8 bits a texel.</summary>
    public static TextureFormat Bc3 { get; } = new()
    {
        Word = "bc3",
        Label = "BC3",
        Holds = "RGB and a smooth alpha in 8 bits a texel, for hardware without BC7",
        Channels = 4,
        UnitBytes = 16,
        Dxgi = 77,
        DxgiSrgb = 78,
        Vk = 137,
        VkSrgb = 138,
        ShortCodes = ["DXT5"],
        WritesShort = true,
        Card = new(S3tc, 0x83f3),
        Described = new(130, new DescribedSample(0, 64, AlphaChannel, 0x10, 0, uint.MaxValue), new DescribedSample(64, 64, 0, 0, 0, uint.MaxValue)),
        Encoder = s => new Bc3Encoder(s),
        Decode = (from, to) => Bc1Decoder.DecodeWithAlpha(from, to),
    };

    /// <summary>One channel in 4 bits a texel.</summary>
    public static TextureFormat Bc4 { get; } = new()
    {
        Word = "bc4",
        Label = "BC4",
        Holds = "one channel in 4 bits a texel",
        Channels = 1,
        UnitBytes = 8,
        Dxgi = 80,
        Vk = 139,
        ShortCodes = ["ATI1", "BC4U"],
        Card = new(Rgtc, 0x8dbb),
        Described = new(131, new DescribedSample(0, 64, 0, 0, 0, uint.MaxValue)),
        Encoder = s => new Bc4Encoder([0], signed: false, s.Effort),
        Decode = (from, to) => Bc4Decoder.DecodeChannels(from, to, 1),
    };

    /// <summary>One signed channel in 4 bits a texel.</summary>
    public static TextureFormat Bc4Signed { get; } = new()
    {
        Word = "bc4s",
        Label = "BC4 signed",
        Holds = "one channel of −1 to 1 in 4 bits a texel",
        Channels = 1,
        UnitBytes = 8,
        Range = TexelRange.SignedUnit,
        Dxgi = 81,
        Vk = 140,
        ShortCodes = ["BC4S"],
        Card = new(Rgtc, 0x8dbc),
        Described = new(131, new DescribedSample(0, 64, 0, Signed, 0x80000000, 0x7fffffff)),
        Encoder = s => new Bc4Encoder([0], signed: true, s.Effort),
        Decode = (from, to) => Bc4Decoder.DecodeSignedBytes(from, to, 1),
        DecodeFine = (from, to) => Bc4Decoder.DecodeSigned(from, to, 1),
    };

    /// <summary>Two channels in 8 bits a texel.</summary>
    public static TextureFormat Bc5 { get; } = new()
    {
        Word = "bc5",
        Label = "BC5",
        Holds = "two channels in 8 bits a texel; for normals, whose third component a shader makes again",
        Channels = 2,
        UnitBytes = 16,
        Dxgi = 83,
        Vk = 141,
        ShortCodes = ["ATI2", "BC5U"],
        Card = new(Rgtc, 0x8dbd),
        Described = new(132, new DescribedSample(0, 64, 0, 0, 0, uint.MaxValue), new DescribedSample(64, 64, 1, 0, 0, uint.MaxValue)),
        Encoder = s => new Bc4Encoder([0, 1], signed: false, s.Effort),
        Decode = (from, to) => Bc4Decoder.DecodeChannels(from, to, 2),
    };

    /// <summary>Two signed channels in 8 bits a texel.</summary>
    public static TextureFormat Bc5Signed { get; } = new()
    {
        Word = "bc5s",
        Label = "BC5 signed",
        Holds = "two channels of −1 to 1 in 8 bits a texel; a level normal is exact in it",
        Channels = 2,
        UnitBytes = 16,
        Range = TexelRange.SignedUnit,
        Dxgi = 84,
        Vk = 142,
        ShortCodes = ["BC5S"],
        Card = new(Rgtc, 0x8dbe),
        Described = new(132, new DescribedSample(0, 64, 0, Signed, 0x80000000, 0x7fffffff), new DescribedSample(64, 64, 1, Signed, 0x80000000, 0x7fffffff)),
        Encoder = s => new Bc4Encoder([0, 1], signed: true, s.Effort),
        Decode = (from, to) => Bc4Decoder.DecodeSignedBytes(from, to, 2),
        DecodeFine = (from, to) => Bc4Decoder.DecodeSigned(from, to, 2),
    };

    /// <summary>RGB of high range in 8 bits a texel.</summary>
    public static TextureFormat Bc6 { get; } = new()
    {
        Word = "bc6h",
        Label = "BC6H",
        Holds = "RGB of high range, 0 and above, in 8 bits a texel",
        Channels = 3,
        UnitBytes = 16,
        Range = TexelRange.High,
        Dxgi = 95,
        Vk = 143,
        Card = new(Bptc, 0x8e8f),
        Described = new(133, new DescribedSample(0, 128, 0, Float, 0, One)),
        Encoder = s => new Bc6Encoder(signed: false, s.Effort),
        DecodeFine = (from, to) => Bc6Decoder.Decode(from, to, signed: false),
    };

    /// <summary>RGB of high range below 0 too in 8 bits a texel.</summary>
    public static TextureFormat Bc6Signed { get; } = new()
    {
        Word = "bc6hs",
        Label = "BC6H signed",
        Holds = "RGB of high range, below 0 too, in 8 bits a texel",
        Channels = 3,
        UnitBytes = 16,
        Range = TexelRange.SignedHigh,
        Dxgi = 96,
        Vk = 144,
        Card = new(Bptc, 0x8e8e),
        Described = new(133, new DescribedSample(0, 128, 0, Float | Signed, MinusOne, One)),
        Encoder = s => new Bc6Encoder(signed: true, s.Effort),
        DecodeFine = (from, to) => Bc6Decoder.Decode(from, to, signed: true),
    };

    /// <summary>RGBA in 8 bits a texel.</summary>
    public static TextureFormat Bc7 { get; } = new()
    {
        Word = "bc7",
        Label = "BC7",
        Holds = "RGBA in 8 bits a texel",
        Channels = 4,
        UnitBytes = 16,
        Dxgi = 98,
        DxgiSrgb = 99,
        Vk = 145,
        VkSrgb = 146,
        Card = new(Bptc, 0x8e8c),
        Described = new(134, new DescribedSample(0, 128, 0, 0, 0, uint.MaxValue)),
        Encoder = s => new Bc7Encoder(s.Effort, [s.Weights.X, s.Weights.Y, s.Weights.Z, s.Weights.W]),
        Decode = (from, to) => Bc7Decoder.Decode(from, to),
    };

    /// <summary>RGBA uncompressed, 32 bits a texel.</summary>
    public static TextureFormat Rgba8 { get; } =
        Plain("rgba8", "RGBA8", "RGBA uncompressed, 32 bits a texel", 4, 8, 28, 29, 37, 43, TexelStore.Bytes, false);

    /// <summary>One channel uncompressed, 8 bits.</summary>
    public static TextureFormat R8 { get; } = Plain("r8", "R8", "one channel uncompressed, 8 bits", 1, 8, 61, null, 9, null, TexelStore.Bytes, false);

    /// <summary>Two channels uncompressed, 8 bits each.</summary>
    public static TextureFormat Rg8 { get; } =
        Plain("rg8", "RG8", "two channels uncompressed, 8 bits each", 2, 8, 49, null, 16, null, TexelStore.Bytes, false);

    /// <summary>One channel uncompressed, 16 bits.</summary>
    public static TextureFormat R16 { get; } =
        Plain("r16", "R16", "one channel uncompressed, 16 bits", 1, 16, 56, null, 70, null, TexelStore.Words, false);

    /// <summary>Two channels uncompressed, 16 bits each.</summary>
    public static TextureFormat Rg16 { get; } =
        Plain("rg16", "RG16", "two channels uncompressed, 16 bits each", 2, 16, 35, null, 77, null, TexelStore.Words, false);

    /// <summary>RGBA uncompressed, 16 bits each.</summary>
    public static TextureFormat Rgba16 { get; } =
        Plain("rgba16", "RGBA16", "RGBA uncompressed, 16 bits each", 4, 16, 11, null, 91, null, TexelStore.Words, false);

    /// <summary>One channel uncompressed, half precision.</summary>
    public static TextureFormat R16Float { get; } =
        Plain("r16f", "R16F", "one channel uncompressed, half precision", 1, 16, 54, null, 76, null, TexelStore.Halves, true);

    /// <summary>Two channels uncompressed, half precision.</summary>
    public static TextureFormat Rg16Float { get; } =
        Plain("rg16f", "RG16F", "two channels uncompressed, half precision", 2, 16, 34, null, 83, null, TexelStore.Halves, true);

    /// <summary>RGBA uncompressed, half precision.</summary>
    public static TextureFormat Rgba16Float { get; } =
        Plain("rgba16f", "RGBA16F", "RGBA uncompressed, half precision", 4, 16, 10, null, 97, null, TexelStore.Halves, true);

    /// <summary>One channel uncompressed, floating point.</summary>
    public static TextureFormat R32Float { get; } =
        Plain("r32f", "R32F", "one channel uncompressed, floating point", 1, 32, 41, null, 100, null, TexelStore.Floats, true);

    /// <summary>Two channels uncompressed, floating point.</summary>
    public static TextureFormat Rg32Float { get; } =
        Plain("rg32f", "RG32F", "two channels uncompressed, floating point", 2, 32, 16, null, 103, null, TexelStore.Floats, true);

    /// <summary>RGBA uncompressed, floating point.</summary>
    public static TextureFormat Rgba32Float { get; } =
        Plain("rgba32f", "RGBA32F", "RGBA uncompressed, floating point", 4, 32, 2, null, 109, null, TexelStore.Floats, true);

    /// <summary>RGB in 10 bits each and two of alpha.</summary>
    public static TextureFormat Rgb10A2 { get; } = new()
    {
        Word = "rgb10a2",
        Label = "RGB10A2",
        Holds = "RGB uncompressed, 10 bits each, and 2 bits of alpha",
        Channels = 4,
        UnitBytes = 4,
        BlockWidth = 1,
        BlockHeight = 1,
        Dxgi = 24,
        Vk = 64,
        Described = new(PlainModel, new DescribedSample(0, 10, 0, 0, 0, 1023), new DescribedSample(10, 10, 1, 0, 0, 1023),
            new DescribedSample(20, 10, 2, 0, 0, 1023), new DescribedSample(30, 2, AlphaChannel, 0, 0, 3)),
        Store = TexelStore.WriteTens,
        DecodeFine = TexelStore.ReadTens,
    };

    /// <summary>RGB in 9 bits each that share an exponent.</summary>
    public static TextureFormat Rgb9E5 { get; } = new()
    {
        Word = "rgb9e5",
        Label = "RGB9E5",
        Holds = "RGB of high range uncompressed, 9 bits each and 5 of a common exponent",
        Channels = 3,
        UnitBytes = 4,
        BlockWidth = 1,
        BlockHeight = 1,
        Range = TexelRange.High,
        Dxgi = 67,
        Vk = 123,
        Described = new(PlainModel, new DescribedSample(0, 9, 0, 0, 0, 8448), new DescribedSample(27, 5, 0, Exponent, 15, 31),
            new DescribedSample(9, 9, 1, 0, 0, 8448), new DescribedSample(27, 5, 1, Exponent, 15, 31), new DescribedSample(18, 9, 2, 0, 0, 8448),
            new DescribedSample(27, 5, 2, Exponent, 15, 31)),
        Store = TexelStore.WriteShared,
        DecodeFine = TexelStore.ReadShared,
    };

    /// <inheritdoc/>
    public static Table<TextureFormat> Table => Whole.Table;

    private static TextureFormat Plain(string word, string label, string holds, int channels, int bits, int dxgi, int? dxgiSrgb, int vk, int? vkSrgb,
        TexelStore.Kind kind, bool isHigh) => new()
        {
            Word = word,
            Label = label,
            Holds = holds,
            Channels = channels,
            UnitBytes = channels * bits / 8,
            BlockWidth = 1,
            BlockHeight = 1,
            Range = isHigh ? TexelRange.SignedHigh : TexelRange.Unit,
            Dxgi = dxgi,
            DxgiSrgb = dxgiSrgb,
            Vk = vk,
            VkSrgb = vkSrgb,
            Described = new(PlainModel, [.. Enumerable.Range(0, channels).Select(c => new DescribedSample(c * bits, bits, c == 3 ? AlphaChannel : c,
                (isHigh ? Float | Signed : 0) | (c == 3 && vkSrgb is not null ? 0x10 : 0), isHigh ? MinusOne : 0,
                isHigh ? One : bits == 8 ? 255u : 65535u))]),
            Store = (from, to) => kind.Write(from, to, channels),
            Decode = bits == 8 ? (from, to) => TexelStore.ReadBytes(from, to, channels) : null,
            DecodeFine = bits == 8 ? null : (from, to) => kind.Read(from, to, channels),
        };

    // Once all formats are there, whichever file they are in.
    private static class Whole
    {
        public static readonly Table<TextureFormat> Table = new("texture format", Bc1, Bc1Holes, Bc3, Bc4, Bc4Signed, Bc5, Bc5Signed, Bc6, Bc6Signed, Bc7,
            Etc2, Etc2Holes, Etc2Alpha, EacR, EacRSigned, EacRg, EacRgSigned, Astc4, Astc5, Astc6, Astc8, Uastc,
            Rgba8, R8, Rg8, R16, Rg16, Rgba16, R16Float, Rg16Float, Rgba16Float, R32Float, Rg32Float, Rgba32Float, Rgb10A2, Rgb9E5);
    }
}
