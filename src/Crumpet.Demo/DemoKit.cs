using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;

namespace Crumpet.Demo;

/// <summary>An asset of the demo kit.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Plan">What was decided for it.</param>
/// <param name="Files">Its source files, as an artist would have exported them.</param>
public sealed record DemoAsset(string Name, AssetPlan Plan, IReadOnlyList<(string FileName, byte[] Bytes)> Files);

/// <summary>The made-up kit "Salt marsh station" that a new Crumpet starts with.</summary>
public static class DemoKit
{
    /// <summary>Name of the kit.</summary>
    public const string KitName = "Salt marsh station";

    /// <summary>Name of the asset that is right from the start.</summary>
    public const string AssetName = "Louvre screen";

    private const int ColourSide = 1024;
    private const int Coarse = 8;

    /// <summary>What was decided for the louvre screen: slats apart from each other, but in each other's shade.</summary>
    public static AssetPlan Plan { get; } = new() { Bake = new BakeSettings { Occluders = Occluders.Asset }, Target = new Target { LargestTexture = 4096 } };

    /// <summary>What the kit's assets share: instruments about a metre large.</summary>
    public static IntakeRules Rules { get; } = new() { ExpectedSizeMetres = 1 };

    /// <summary>All assets with their files.</summary>
    /// <param name="isCoarse">Whether high sides have a sixty-fourth of their triangles: quick to try, with less to see.</param>
    public static IReadOnlyList<DemoAsset> Assets(bool isCoarse = false)
    {
        int every = isCoarse ? Coarse : 1;
        return [LouvreScreenAsset(every), AnemometerAsset(every), RainGaugeAsset(every)];
    }

    /// <summary>The slatted shelter, whose parts nearly touch.</summary>
    public static DemoAsset LouvreScreenAsset(int every = 1) => new(AssetName, Plan, Files("louvre_screen", LouvreScreen.Low(), LouvreScreen.High(every)));

    /// <summary>The wind gauge, whose copies share texels.</summary>
    public static DemoAsset AnemometerAsset(int every = 1) =>
        new("Cup anemometer", Plan, Files("cup_anemometer", CupAnemometer.Low(), CupAnemometer.High(every)));

    /// <summary>The rain gauge, which arrives wrong.</summary>
    public static DemoAsset RainGaugeAsset(int every = 1) => new(
        "Tipping rain gauge", Plan, [.. Files("rain_gauge", RainGauge.Low(), RainGauge.High(every)),
            ("rain_gauge_colour.png", ImageFile.WritePng(RainGauge.Colour(ColourSide)))]);

    /// <summary>The kit as a folder.</summary>
    public static KitFolder Kit(IReadOnlyList<DemoAsset> assets) =>
        new(KitName, Rules, Plan,
            [.. assets.Select(a => new KitFolderAsset(
            a.Name, KitFolder.FolderOf(a.Name), [.. a.Files.Select(f => new KitFolderSource(f.FileName))], PlanLayers.Own(Plan, a.Plan)))]);

    private static IReadOnlyList<(string FileName, byte[] Bytes)> Files(string name, Scene low, Scene high)
    {
        using var obj = new MemoryStream();
        using var library = new MemoryStream();
        using var glb = new MemoryStream();
        ObjWriter.Write(low, obj, $"{name}_low.mtl");
        ObjWriter.WriteLibrary(low.Materials, library);
        GltfWriter.WriteBinary(SceneDocument.Of(high), glb);
        return [($"{name}_low.obj", obj.ToArray()), ($"{name}_low.mtl", library.ToArray()), ($"{name}_high.glb", glb.ToArray())];
    }
}
