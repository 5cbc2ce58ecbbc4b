using Crumpet.Core.Baking;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>The made-up kit "Salt marsh station" that a new Crumpet starts with.</summary>
public static class DemoKit
{
    /// <summary>Name of the kit.</summary>
    public const string KitName = "Salt marsh station";

    /// <summary>Name of the asset.</summary>
    public const string AssetName = "Louvre screen";

    /// <summary>What was decided for the asset: slats apart from each other, but in each other's shade.</summary>
    public static AssetPlan Plan { get; } = new() { Bake = new BakeSettings { Occluders = Occluders.Asset } };

    /// <summary>The asset's source files by name, as an artist would have exported them.</summary>
    public static IReadOnlyList<(string FileName, byte[] Bytes)> SourceFiles()
    {
        var low = LouvreScreen.Low();
        using var obj = new MemoryStream();
        using var library = new MemoryStream();
        using var glb = new MemoryStream();
        ObjWriter.Write(low, obj, "louvre_screen_low.mtl");
        ObjWriter.WriteLibrary(low.Materials, library);
        var high = LouvreScreen.High();
        GlbWriter.Write(new GlbDocument([.. high.Meshes.Select(m => new GlbMesh(m))], [.. high.Materials.Select(m => new GlbMaterial(m))], []), glb);
        return [("louvre_screen_low.obj", obj.ToArray()), ("louvre_screen_low.mtl", library.ToArray()), ("louvre_screen_high.glb", glb.ToArray())];
    }

    /// <summary>The kit's own file, for a folder that holds the sources under the asset's name.</summary>
    public static KitFile Kit(IReadOnlyList<string> sources) =>
        new(1, KitName, [new KitAsset(AssetName, AssetBuild.FileNameOf(AssetName), sources, Plan)]);
}
