using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Intake;

/// <summary>Everything intake works on.</summary>
/// <param name="Files">Files in a fixed order.</param>
/// <param name="Open">Opens a file; the stream can seek.</param>
/// <param name="Pattern">Naming pattern with <c>{part}</c> and <c>{side}</c>.</param>
public sealed record IntakeInput(IReadOnlyList<SourceFile> Files, Func<SourceFile, Stream> Open, string Pattern)
{
    /// <summary>The asset's mends, in the order they are applied.</summary>
    public IReadOnlyList<Mend> Mends { get; init; } = [];

    /// <summary>What the kit's assets share.</summary>
    public IntakeRules Rules { get; init; } = new();

    /// <summary>What the target holds textures to.</summary>
    public TextureLimits Limits { get; init; } = new Target().Limits;

    /// <summary>Direction of green in normal maps that mends make.</summary>
    public GreenDirection Green { get; init; }

    /// <summary>Whether maps are only made from textures, so that no high side is missed.</summary>
    public bool NeedsNoHigh { get; init; }

    /// <summary>Threads to use, at least 1; the result does not depend on it.</summary>
    public int Threads { get; init; } = 1;

    /// <summary>Gives what a mesh file holds, or throws why it cannot be read; where not given, every file is opened and read.</summary>
    public Func<SourceFile, Scene>? Scenes { get; init; }

    /// <summary>Takes each picture a mend made as soon as it is there, so that no two are held; where not given, all are kept in the result.</summary>
    public Action<string, Bitmap>? PictureMade { get; init; }

    /// <summary>Gives what a picture looks like, or throws why it cannot be read; where not given, every picture is opened and looked at.</summary>
    public Func<SourceFile, PictureFacts>? Looks { get; init; }
}

/// <summary>Reads everything that arrived, applies the mends, says what is inside and what would hurt later.</summary>
public static class IntakeStation
{
    /// <summary>Takes files in. Those that cannot be read become findings; the others are still read.</summary>
    /// <param name="input">Files and decisions.</param>
    /// <param name="progress">Told before each file.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IntakeResult Run(IntakeInput input, IProgress<Progress>? progress = null, CancellationToken cancel = default)
    {
        var findings = new List<Finding>();
        var reading = new IntakeReading(input, findings, progress, cancel);
        var (state, files) = reading.ReadMeshes();
        var mends = new List<MendReport>();
        int kitMends = input.Rules.Mends.Count;
        var all = input.Rules.Mends.Concat(input.Mends).ToArray();
        var changed = new int[all.Length];
        for (int i = 0; i < all.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            if (all[i] is { IsOn: true } and IntakeMend mend)
                changed[i] = Mender.Apply(mend, state, cancel) ?? 0;
        }
        state.Objects.RemoveAll(o => o.Mesh.TriangleCount == 0);
        findings.AddRange(FarFindings.TakeOut(state, input.Rules.Mends));
        progress?.Report(new Progress(0.45, "looking through the meshes"));
        var look = IntakeLook.At(state, input, cancel);
        var textures = reading.LookAtTextures(look, all, changed, files);
        for (int i = 0; i < all.Length; i++)
            mends.Add(new MendReport(i < kitMends, i < kitMends ? i : i - kitMends, all[i].Words(), all[i].IsOn, changed[i]));
        progress?.Report(new Progress(0.75, "looking for what would hurt later"));
        findings.AddRange(SpaceFindings.Of(look));
        findings.AddRange(NameFindings.Of(look));
        findings.AddRange(SurfaceFindings.Of(look));
        findings.AddRange(MaterialFindings.Of(look));
        findings.AddRange(UvFindings.Of(look));
        findings.AddRange(TextureFindings.Of(look, textures));
        findings.AddRange(WithoutTarget(mends, input, state));
        var report = new IntakeReport(files, look.Rows, look.LowMaterials)
        {
            Textures = textures.Reports,
            Links = textures.Links,
            Materials = [.. state.Materials.Select(m => MaterialReport.Of(m, textures.Links))],
            Mends = mends,
            Strays = [.. state.Strays.Select(s => s.Stray)],
        };
        var scene = new Scene("", [.. state.Objects.Select(o => o.Mesh)], [.. state.Materials.Select(m => Linked(m, textures.Links))], []);
        return new IntakeResult(report, scene, Finding.Sorted(findings)) { Pictures = textures.Mended };
    }

    /// <summary>A material whose pictures go by the files that were found for them.</summary>
    private static Material Linked(Material material, IReadOnlyList<TextureLink> links) => material.Textures.Count == 0 ? material : material with
    {
        Textures = [.. material.Textures.Select(t => links.FirstOrDefault(l => l.Material == material.Name && l.Path == t.Path)?.File is { } file ? t with { Path = file } : t)],
    };

    /// <summary>Decisions that no longer fit what is there are kept and said.</summary>
    private static IEnumerable<Finding> WithoutTarget(List<MendReport> mends, IntakeInput input, IntakeState state)
    {
        // A kit's rule need not concern every asset.
        foreach (var mend in mends.Where(m => m is { IsKitRule: false, IsOn: true, Changed: 0 } && !state.Refused.Exists(r => r.Mend.Equals(input.Mends[m.Number]))))
        {
            bool pointless = input.Mends[mend.Number] is IntakeMend { Objects.Count: 0, File: "*" };
            yield return new Finding(
                pointless ? Severity.Note : Severity.Warn, "mend-without-target", mend.Words,
                $"The mend '{mend.Words}' finds nothing to change in the present files; it is kept, switch it off or take it away if it is no longer meant.");
        }
    }
}
