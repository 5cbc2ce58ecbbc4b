using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>An asset with a store of its own, whose builds tell which jobs they worked.</summary>
internal sealed class JobAsset(string name, params Mesh[] meshes)
{
    private readonly List<(string Name, byte[] Bytes)> files = [.. meshes.Select(FileOf)];

    /// <summary>Its store.</summary>
    public MemoryResultStore Store { get; } = new();

    /// <summary>Name its files begin with.</summary>
    public string Name { get; set; } = name;

    /// <summary>What its kit says.</summary>
    public IntakeRules Rules { get; set; } = new();

    /// <summary>Puts other files in place of all.</summary>
    public void Replace(params Mesh[] others)
    {
        files.Clear();
        files.AddRange(others.Select(FileOf));
    }

    /// <summary>Its build.</summary>
    public AssetBuild Build(AssetPlan plan) =>
        new(Name, plan, [.. files.Select(f => new SourceFile(f.Name, Store.Put(f.Bytes), f.Bytes.Length))], Store, Rules) { Identity = "asset" };

    /// <summary>Works it, and gives the jobs that were worked; what was told is what was done.</summary>
    public IReadOnlyList<WorkedJob> Run(AssetPlan plan, Station? last = null, int threads = 2)
    {
        var upTo = last ?? Station.Deliver;
        var build = Build(plan);
        var told = build.Forecast(upTo);
        Assert.Equal(upTo, build.Run(upTo, throughStops: true, threads, null, default).Station);
        Assert.InRange(build.Worked.Count, told.Sure, told.IsWhole ? told.AtMost : int.MaxValue);
        Assert.Empty(Build(plan).Forecast(upTo).Jobs);
        return build.Worked;
    }

    /// <summary>Names and hashes of a station's files.</summary>
    public string[] Hashes(AssetPlan plan, Station station) => [.. Build(plan).ResultOf(station)!.Files.Select(f => $"{f.Name} {f.Sha256}")];

    private static (string Name, byte[] Bytes) FileOf(Mesh mesh)
    {
        using var stream = new MemoryStream();
        GltfWriter.WriteBinary(new SceneDocument([new SceneObject(mesh)], [new SceneMaterial(Material.Plain with { Name = "stone" })], []), stream);
        return (mesh.Name + ".glb", stream.ToArray());
    }
}
