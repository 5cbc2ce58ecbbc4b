using Crumpet.Core.Convert;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Deliver;

/// <summary>Puts the scenes of a delivery together as its target's files hold them: materials with the textures they can refer to.</summary>
/// <param name="input">What is delivered.</param>
/// <param name="cancel">Ends the work early.</param>
internal sealed class DeliveryScenes(DeliveryInput input, CancellationToken cancel)
{
    private readonly Target target = input.Target;
    private readonly Dictionary<(string File, bool IsTurned), byte[]> embedded = [];

    /// <summary>A scene of objects.</summary>
    /// <param name="objects">Its objects.</param>
    /// <param name="hasMaterials">Whether they are drawn with the delivery's materials.</param>
    public SceneDocument Of(IReadOnlyList<Mesh> objects, bool hasMaterials)
    {
        var format = target.Mesh;
        var scene = hasMaterials ? WithTextures(format.Slots, Texture) : new SceneDocument([], [], []);
        return scene with
        {
            Objects = [.. objects.Select(m => new SceneObject(m, m.Uvs is null || !hasMaterials ? null : TangentSpace.PerCorner(m)))],
            Space = target.Space,
            Green = format.Green ?? target.Green,
        };

        SceneTexture? Texture(string file, MaterialSlot slot)
        {
            var texture = new SceneTexture(Path.GetFileNameWithoutExtension(file));
            if (target.Embedded is not { } inside)
                return target.Textures is { } loose && format.Refers.Contains(loose) ? texture with { Path = Beside(target.MeshFolder, file) } : null;
            bool turns = slot == MaterialSlot.Normal && format.Green is { } green && green != target.Green;
            return texture with { Embedded = Embedded(file, inside, turns), Ending = inside.Ending };
        }
    }

    /// <summary>The materials alone, with the textures that lie beside them.</summary>
    /// <param name="folder">Folder of the file they are written to.</param>
    public SceneDocument Materials(string folder) =>
        WithTextures(MaterialSlot.Table.All, (file, _) => target.Textures is null ? null
            : new SceneTexture(Path.GetFileNameWithoutExtension(file)) { Path = Beside(folder, file) }) with
        { Green = target.Green };

    private SceneDocument WithTextures(IReadOnlyList<MaterialSlot> slots, Func<string, MaterialSlot, SceneTexture?> make)
    {
        var textures = new List<SceneTexture>();
        var numbers = new Dictionary<SceneTexture, int>();
        var materials = input.Materials.Select(m => new SceneMaterial(m.Source,
            [.. m.Fills.Where(f => slots.Contains(f.Slot) && Holds(f)).Select(Fill).OfType<SlotTexture>()])).ToArray();
        return new SceneDocument([], materials, textures);

        SlotTexture? Fill(PackageFill fill)
        {
            cancel.ThrowIfCancellationRequested();
            if (make(fill.File, fill.Slot) is not { } texture)
                return null;
            if (!numbers.TryGetValue(texture, out int number))
            {
                numbers.Add(texture, number = textures.Count);
                textures.Add(texture);
            }
            return new SlotTexture(fill.Slot, number, (int)fill.Channel);
        }
    }

    /// <summary>Whether the picture has the channel: opacity may lie in an alpha that is not there.</summary>
    private bool Holds(PackageFill fill) => fill.Channel != PictureChannel.A
        || (input.Pictures.TryGetValue(fill.File, out byte[]? picture) && ImageFile.ShapeOf(picture, "picture.png").Channels is 2 or 4);

    private byte[] Embedded(string file, TextureFile inside, bool turns)
    {
        if (embedded.TryGetValue((file, turns), out byte[]? known))
            return known;
        var texture = input.Textures.First(t => t.FileName == file);
        // What is made for the inside alone is it.
        byte[] bytes = target.Textures is null ? texture.Bytes : Picture(input.Pictures[file], inside, texture.Meaning);
        if (turns)
            bytes = inside.Picture!.Write(GreenTurned(ImageFile.Read(bytes, "picture" + inside.Ending)), 8, cancel);
        return embedded[(file, turns)] = bytes;
    }

    private byte[] Picture(byte[] png, TextureFile inside, ColourMeaning meaning)
    {
        var (width, height) = ImageFile.SizeOf(png, "picture.png");
        if (inside == TextureFile.Png && Math.Max(width, height) <= target.LargestTexture)
            return png;
        var settings = new ConvertSettings(TextureFormat.Rgba8, meaning) { File = inside, Size = target.LargestTexture };
        return LoosePicture.Write(ImageFile.Read(png, "picture.png"), settings, cancel).File;
    }

    /// <summary>Path of a texture as a file in a folder of the package sees it.</summary>
    private string Beside(string folder, string file) =>
        string.Concat(Enumerable.Repeat("../", folder.Length == 0 ? 0 : folder.Split('/').Length)) + target.TexturePath(file);

    private static Bitmap GreenTurned(Bitmap normal)
    {
        float[] units = PictureOps.Units(normal);
        for (int i = 1; i < units.Length; i += normal.Channels)
            units[i] = 1 - units[i];
        return PictureOps.FromUnits(normal.Width, normal.Height, normal.Channels, 8, units);
    }
}
