using System.Numerics;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Imaging;

/// <content>Formats of mobile hardware, and the one that is made into others.</content>
public sealed partial class TextureFormat
{
    private const string Etc = "WEBGL_compressed_texture_etc", AstcBlocks = "WEBGL_compressed_texture_astc";
    private const byte UastcModel = 166;
    private const int UastcRgba = 3, FirstEac = 0x9270, FirstEacVk = 153, FirstAstc = 0x93b0, FirstAstcVk = 157;

    /// <summary>RGB in 4 bits a texel, for mobile hardware.</summary>
    public static TextureFormat Etc2 { get; } = new()
    {
        Word = "etc2",
        Label = "ETC2",
        Holds = "RGB in 4 bits a texel, for mobile hardware",
        Channels = 3,
        UnitBytes = 8,
        Vk = 147,
        VkSrgb = 148,
        Card = new(Etc, 0x9274),
        Described = new(161, new DescribedSample(0, 64, 2, 0, 0, uint.MaxValue)),
        Encoder = s => new EtcEncoder(s.Effort, hasHoles: false, new Vector3(s.Weights.X, s.Weights.Y, s.Weights.Z)),
        Decode = (from, to) => EtcDecoder.Decode(from, to),
    };

    /// <summary>RGB and holes in 4 bits a texel.</summary>
    public static TextureFormat Etc2Holes { get; } = new()
    {
        Word = "etc2a1",
        Label = "ETC2 with holes",
        Holds = "RGB in 4 bits a texel, and alpha that is open or closed, for mobile hardware",
        Channels = 4,
        UnitBytes = 8,
        HasHoles = true,
        Vk = 149,
        VkSrgb = 150,
        Card = new(Etc, 0x9276),
        Described = new(161, new DescribedSample(0, 64, 2, 0, 0, uint.MaxValue), new DescribedSample(0, 64, AlphaChannel, 0x10, 0, uint.MaxValue)),
        Encoder = s => new EtcEncoder(s.Effort, hasHoles: true, new Vector3(s.Weights.X, s.Weights.Y, s.Weights.Z)),
        Decode = (from, to) => EtcDecoder.DecodeHoles(from, to),
    };

    /// <summary>RGB and alpha in 8 bits a texel.</summary>
    public static TextureFormat Etc2Alpha { get; } = new()
    {
        Word = "etc2a",
        Label = "ETC2 with alpha",
        Holds = "RGB and a smooth alpha in 8 bits a texel, for mobile hardware",
        Channels = 4,
        UnitBytes = 16,
        Vk = 151,
        VkSrgb = 152,
        Card = new(Etc, 0x9278),
        Described = new(161, new DescribedSample(0, 64, AlphaChannel, 0x10, 0, uint.MaxValue), new DescribedSample(64, 64, 2, 0, 0, uint.MaxValue)),
        Encoder = s => new EtcAlphaEncoder(s),
        Decode = (from, to) => EtcDecoder.DecodeAlpha(from, to),
    };

    /// <summary>One channel of 11 bits in 4 bits a texel.</summary>
    public static TextureFormat EacR { get; } =
        Eac("eacr", "EAC R", "one channel of 11 bits in 4 bits a texel, for mobile hardware", 1, 153, isSigned: false);

    /// <summary>One signed channel of 11 bits in 4 bits a texel.</summary>
    public static TextureFormat EacRSigned { get; } =
        Eac("eacrs", "EAC R signed", "one channel of −1 to 1 in 4 bits a texel, for mobile hardware", 1, 154, isSigned: true);

    /// <summary>Two channels of 11 bits in 8 bits a texel.</summary>
    public static TextureFormat EacRg { get; } =
        Eac("eacrg", "EAC RG", "two channels of 11 bits in 8 bits a texel, for normals on mobile hardware", 2, 155, isSigned: false);

    /// <summary>Two signed channels of 11 bits in 8 bits a texel.</summary>
    public static TextureFormat EacRgSigned { get; } =
        Eac("eacrgs", "EAC RG signed", "two channels of −1 to 1 in 8 bits a texel, for normals on mobile hardware", 2, 156, isSigned: true);

    /// <summary>RGBA in blocks of 4 × 4.</summary>
    public static TextureFormat Astc4 { get; } = Astc(4, 157);

    /// <summary>RGBA in blocks of 5 × 5.</summary>
    public static TextureFormat Astc5 { get; } = Astc(5, 161);

    /// <summary>RGBA in blocks of 6 × 6.</summary>
    public static TextureFormat Astc6 { get; } = Astc(6, 165);

    /// <summary>RGBA in blocks of 8 × 8.</summary>
    public static TextureFormat Astc8 { get; } = Astc(8, 171);

    /// <summary>RGBA in 8 bits a texel, from which other formats are quickly made.</summary>
    public static TextureFormat Uastc { get; } = new()
    {
        Word = "uastc",
        Label = "UASTC",
        Holds = "RGBA in 8 bits a texel, to be made into what graphics take when it is opened",
        Channels = 4,
        UnitBytes = 16,
        // Its descriptor alone says what it is.
        Vk = 0,
        VkSrgb = 0,
        Described = new(UastcModel, new DescribedSample(0, 128, UastcRgba, 0, 0, uint.MaxValue)),
        Encoder = AstcEncoder.ForUastc,
        Decode = (from, to) => UastcDecoder.Decode(from, to),
    };

    private static TextureFormat Eac(string word, string label, string holds, int channels, int vk, bool isSigned) => new()
    {
        Word = word,
        Label = label,
        Holds = holds,
        Channels = channels,
        UnitBytes = 8 * channels,
        Range = isSigned ? TexelRange.SignedUnit : TexelRange.Unit,
        Vk = vk,
        Card = new(Etc, FirstEac + vk - FirstEacVk),
        Described = new(161, [.. Enumerable.Range(0, channels).Select(c =>
            new DescribedSample(64 * c, 64, c, isSigned ? Signed : 0, isSigned ? 0x80000000 : 0, isSigned ? 0x7fffffff : uint.MaxValue))]),
        Encoder = s => new EacEncoder([.. Enumerable.Range(0, channels)], isSigned ? EacRange.SignedEleven : EacRange.Eleven, s.Effort),
        Decode = (from, to) => EacDecoder.DecodeBytes(from, to, channels, isSigned),
        DecodeFine = (from, to) => EacDecoder.Decode(from, to, channels, isSigned),
    };

    private static TextureFormat Astc(int side, int vk) => new()
    {
        Word = FormattableString.Invariant($"astc{side}x{side}"),
        Label = FormattableString.Invariant($"ASTC {side}×{side}"),
        Holds = FormattableString.Invariant($"RGBA in {128.0 / (side * side):0.##} bits a texel, for mobile hardware"),
        Channels = 4,
        UnitBytes = 16,
        BlockWidth = side,
        BlockHeight = side,
        Vk = vk,
        VkSrgb = vk + 1,
        // Vulkan counts each size twice, with and without the sRGB transfer.
        Card = new(AstcBlocks, FirstAstc + (vk - FirstAstcVk) / 2),
        Described = new(162, new DescribedSample(0, 128, 0, 0, 0, uint.MaxValue)),
        Encoder = s => new AstcEncoder(side, side, s),
        Decode = new AstcDecoder(side, side).Decode,
    };
}
