using System.ComponentModel;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>A file that a writer made.</summary>
/// <param name="Name">Its name with its ending.</param>
/// <param name="Bytes">Its contents.</param>
public sealed record WrittenFile(string Name, byte[] Bytes);

/// <summary>A file format of meshes: all that is known of it. A new one is an entry here with its writer.</summary>
[JsonConverter(typeof(EntryJson<MeshFormat>)), TypeConverter(typeof(EntryText<MeshFormat>))]
public sealed class MeshFormat : IEntry<MeshFormat>
{
    private static readonly MeshSpace[] RightHanded = [.. Spaces().Where(s => !s.IsMirrored)];

    /// <inheritdoc/>
    public required string Word { get; init; }

    /// <summary>Name as people write it.</summary>
    public required string Label { get; init; }

    /// <summary>What it is, without a full stop.</summary>
    public required string Is { get; init; }

    /// <summary>Axes it can have; the unit of these says nothing.</summary>
    public IReadOnlyList<MeshSpace> Axes { get; init; } = [.. Spaces()];

    /// <summary>Length of its unit, metres; null for any.</summary>
    public double? UnitMetres { get; init; }

    /// <summary>Slots of materials it has; none where it has no materials.</summary>
    public IReadOnlyList<MaterialSlot> Slots { get; init; } = [];

    /// <summary>The channel its materials read a slot from, where that is not theirs to choose.</summary>
    public IReadOnlyDictionary<MaterialSlot, int> Channels { get; init; } = new Dictionary<MaterialSlot, int>();

    /// <summary>What its materials can say.</summary>
    public IReadOnlyList<MaterialTrait> Traits { get; init; } = [];

    /// <summary>Textures that can lie inside it.</summary>
    public IReadOnlyList<TextureFile> Embeds { get; init; } = [];

    /// <summary>Textures beside it that its materials can refer to.</summary>
    public IReadOnlyList<TextureFile> Refers { get; init; } = [];

    /// <summary>Green of normals that its materials take; null for either.</summary>
    public GreenDirection? Green { get; init; }

    /// <summary>Writes a document under a name without ending: the mesh file first, and what it needs beside it.</summary>
    public required Func<SceneDocument, string, IReadOnlyList<WrittenFile>> Write { get; init; }

    private static readonly MaterialSlot[] GltfSlots =
    [
        MaterialSlot.BaseColour, MaterialSlot.Opacity, MaterialSlot.Normal, MaterialSlot.Occlusion, MaterialSlot.Roughness, MaterialSlot.Metalness,
        MaterialSlot.Emission,
    ];

    private static readonly MaterialTrait[] UsdTraits =
    [
        MaterialTrait.CutOut, MaterialTrait.Blend, MaterialTrait.TwoSided, MaterialTrait.Emission, MaterialTrait.ClearCoat, MaterialTrait.Index,
        MaterialTrait.MovedUvs,
    ];

    /// <summary>glTF in one file.</summary>
    public static MeshFormat Glb { get; } = new()
    {
        Word = "glb",
        Label = "GLB",
        Is = "glTF 2.0 in one binary file",
        Axes = [MeshSpace.Own],
        UnitMetres = 1,
        Slots = GltfSlots,
        Channels = GltfMaterials.Channels,
        Traits = MaterialTrait.Table.All,
        Embeds = [TextureFile.Png, TextureFile.Jpeg, TextureFile.Ktx2, TextureFile.Ktx2Packed],
        Refers = [TextureFile.Png, TextureFile.Jpeg, TextureFile.Ktx2, TextureFile.Ktx2Packed],
        Green = GreenDirection.Up,
        Write = (document, name) => [new($"{name}.glb", Bytes(s => GltfWriter.WriteBinary(document, s)))],
    };

    /// <summary>glTF as text with a buffer beside it.</summary>
    public static MeshFormat Gltf { get; } = new()
    {
        Word = "gltf",
        Label = "glTF",
        Is = "glTF 2.0 as text, with its buffer beside it",
        Axes = [MeshSpace.Own],
        UnitMetres = 1,
        Slots = GltfSlots,
        Channels = GltfMaterials.Channels,
        Traits = MaterialTrait.Table.All,
        Refers = [TextureFile.Png, TextureFile.Jpeg, TextureFile.Ktx2, TextureFile.Ktx2Packed],
        Green = GreenDirection.Up,
        Write = (document, name) =>
        {
            var (json, buffer) = GltfWriter.WriteLoose(document, $"{name}.bin");
            return [new($"{name}.gltf", json), new($"{name}.bin", buffer)];
        },
    };

    /// <summary>Wavefront OBJ with its material library.</summary>
    public static MeshFormat Obj { get; } = new()
    {
        Word = "obj",
        Label = "OBJ",
        Is = "Wavefront OBJ with its material library",
        Slots = [.. MaterialSlot.Table.All.Where(s => s != MaterialSlot.Height)],
        Traits = [MaterialTrait.Blend, MaterialTrait.Emission, MaterialTrait.ClearCoat, MaterialTrait.Index, MaterialTrait.MovedUvs],
        Refers = TextureFile.Table.All,
        Write = (document, name) =>
        [
            new($"{name}.obj", Bytes(s => ObjWriter.Write(document, s, document.Materials.Count > 0 ? $"{name}.mtl" : null))),
            .. document.Materials.Count > 0 ? new[] { new WrittenFile($"{name}.mtl", Bytes(s => ObjWriter.WriteLibrary(document, s))) } : [],
        ],
    };

    /// <summary>PLY.</summary>
    public static MeshFormat Ply { get; } = new()
    {
        Word = "ply",
        Label = "PLY",
        Is = "PLY, binary: one table of vertices and one of faces, without materials",
        Write = (document, name) => [new($"{name}.ply", Bytes(s => PlyWriter.Write(ObjWriter.InTheWorld(document), s)))],
    };

    /// <summary>Universal Scene Description as text.</summary>
    public static MeshFormat Usda { get; } = new()
    {
        Word = "usda",
        Label = "USDA",
        Is = "Universal Scene Description as text, with preview surfaces",
        Axes = RightHanded,
        Slots = MaterialSlot.Table.All,
        Traits = UsdTraits,
        Refers = [TextureFile.Png, TextureFile.Jpeg],
        Write = UsdWriter.Write,
    };

    /// <summary>Universal Scene Description with its pictures in one file.</summary>
    public static MeshFormat Usdz { get; } = new()
    {
        Word = "usdz",
        Label = "USDZ",
        Is = "Universal Scene Description with its pictures in one file",
        Axes = RightHanded,
        Slots = MaterialSlot.Table.All,
        Traits = UsdTraits,
        Embeds = [TextureFile.Png, TextureFile.Jpeg],
        Write = (document, name) =>
        {
            string PathOf(SceneTexture t) => $"textures/{t.Name}{t.Ending}";
            var inside = document with { Textures = [.. document.Textures.Select(t => t.Embedded is null ? t : t with { Path = PathOf(t) })] };
            return [new($"{name}.usdz", UsdzFile.Write([.. UsdWriter.Write(inside, name).Select(f => (f.Name, f.Bytes)),
                .. document.Textures.Where(t => t.Embedded is not null).Select(t => (PathOf(t), t.Embedded!))]))];
        },
    };

    /// <inheritdoc/>
    public static Table<MeshFormat> Table { get; } = new("mesh format", Glb, Gltf, Obj, Ply, Usda, Usdz);

    /// <summary>Why it cannot have these axes and this unit, one sentence, or null.</summary>
    public string? Problem(MeshSpace space) =>
        !Axes.Any(a => (a.Up, a.Handedness) == (space.Up, space.Handedness))
            ? $"{Label} holds {string.Join(" or ", Axes.Select(a => $"{a.Up} up, {a.Handedness.ToString().ToLowerInvariant()}-handed"))} axes; "
                + "choose these, or another mesh format."
        : UnitMetres is { } unit && unit != space.UnitMetres ? $"{Label} holds units of {unit:0.######} m; choose these, or another mesh format."
        : null;

    /// <inheritdoc/>
    public override string ToString() => Word;

    private static IEnumerable<MeshSpace> Spaces() =>
        from up in Enum.GetValues<UpAxis>() from hand in Enum.GetValues<Handedness>() select new MeshSpace(up, 1, hand);

    private static byte[] Bytes(Action<Stream> write)
    {
        using var stream = new MemoryStream();
        write(stream);
        return stream.ToArray();
    }
}
