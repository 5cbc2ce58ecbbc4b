using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Imaging;

/// <summary>A kind of file that textures are written to.</summary>
[JsonConverter(typeof(EntryJson<TextureContainer>)), TypeConverter(typeof(EntryText<TextureContainer>))]
public sealed class TextureContainer : IEntry<TextureContainer>
{
    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it.</summary>
    public required string Label { get; init; }

    /// <summary>What it is, without a full stop.</summary>
    public required string Is { get; init; }

    /// <summary>Ending of its files, with the dot.</summary>
    public required string Ending { get; init; }

    /// <summary>Whether it can hold a format.</summary>
    public required Func<TextureFormat, bool> Holds { get; init; }

    /// <summary>The bytes of a file.</summary>
    public required Func<Texture, byte[]> Write { get; init; }

    /// <summary>DDS.</summary>
    public static TextureContainer Dds { get; } = new()
    {
        Word = "dds",
        Label = "DDS",
        Is = "DDS, with the short header where old readers need it and it can say the format",
        Ending = ".dds",
        Holds = f => f.Dxgi is not null,
        Write = DdsFile.Write,
    };

    /// <summary>KTX2 with levels as they are.</summary>
    public static TextureContainer Ktx2 { get; } = new()
    {
        Word = "ktx2",
        Label = "KTX2",
        Is = "KTX2 with levels as they are",
        Ending = ".ktx2",
        Holds = f => true,
        Write = t => KtxFile.Write(t, isPacked: false),
    };

    /// <summary>KTX2 with levels compressed once more.</summary>
    public static TextureContainer Ktx2Packed { get; } = new()
    {
        Word = "ktx2-zstd",
        Label = "KTX2 + zstd",
        Is = "KTX2 with levels compressed once more by zstd, for the way to the player",
        Ending = ".ktx2",
        Holds = f => true,
        Write = t => KtxFile.Write(t, isPacked: true),
    };

    /// <inheritdoc/>
    public static Table<TextureContainer> Table { get; } = new("texture container", Dds, Ktx2, Ktx2Packed);

    /// <summary>Whether a file begins like one of a container.</summary>
    public static bool IsTexture(ReadOnlySpan<byte> bytes) => DdsFile.Is(bytes) || KtxFile.Is(bytes);

    /// <summary>Reads a file of any container.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is none, is cut, or is of another format.</exception>
    public static Texture Read(byte[] bytes, string fileName) => KtxFile.Is(bytes) ? KtxFile.Read(bytes, fileName) : DdsFile.Read(bytes, fileName);

    /// <inheritdoc/>
    public override string ToString() => Word;
}
