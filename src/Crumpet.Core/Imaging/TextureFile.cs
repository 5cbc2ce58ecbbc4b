using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Imaging;

/// <summary>A file that textures are delivered in: a loose picture, for engines that compress by themselves, or a container of compressed texels.</summary>
[JsonConverter(typeof(EntryJson<TextureFile>)), TypeConverter(typeof(EntryText<TextureFile>))]
public sealed class TextureFile : IEntry<TextureFile>
{
    private TextureFile(PictureFormat picture)
    {
        Picture = picture;
        Word = picture.Word;
        Label = picture.Label;
        Ending = picture.Ending;
    }

    private TextureFile(TextureContainer container)
    {
        Container = container;
        Word = container.Word;
        Label = container.Label;
        Ending = container.Ending;
    }

    /// <inheritdoc/>
    public string Word { get; }

    /// <summary>Name as people write it.</summary>
    public string Label { get; }

    /// <summary>Ending of its files, with the point.</summary>
    public string Ending { get; }

    /// <summary>The file format of a loose picture; null for a container.</summary>
    public PictureFormat? Picture { get; }

    /// <summary>The container; null for a loose picture.</summary>
    public TextureContainer? Container { get; }

    /// <summary>A loose PNG.</summary>
    public static TextureFile Png { get; } = new(PictureFormat.Png);

    /// <summary>A loose JPEG.</summary>
    public static TextureFile Jpeg { get; } = new(PictureFormat.Jpeg);

    /// <summary>A loose TGA.</summary>
    public static TextureFile Tga { get; } = new(PictureFormat.Tga);

    /// <summary>A loose TIFF.</summary>
    public static TextureFile Tiff { get; } = new(PictureFormat.Tiff);

    /// <summary>A loose WebP.</summary>
    public static TextureFile Webp { get; } = new(PictureFormat.Webp);

    /// <summary>DDS.</summary>
    public static TextureFile Dds { get; } = new(TextureContainer.Dds);

    /// <summary>KTX2 with levels as they are.</summary>
    public static TextureFile Ktx2 { get; } = new(TextureContainer.Ktx2);

    /// <summary>KTX2 with levels compressed once more.</summary>
    public static TextureFile Ktx2Packed { get; } = new(TextureContainer.Ktx2Packed);

    /// <summary>The file of a container.</summary>
    public static TextureFile Of(TextureContainer container) => Table.All.First(f => f.Container == container);

    /// <inheritdoc/>
    public static Table<TextureFile> Table { get; } = new("texture file", Png, Jpeg, Tga, Tiff, Webp, Dds, Ktx2, Ktx2Packed);

    /// <inheritdoc/>
    public override string ToString() => Word;
}
