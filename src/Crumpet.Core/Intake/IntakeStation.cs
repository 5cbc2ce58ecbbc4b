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

    /// <summary>What findings are judged by.</summary>
    internal IntakeMeasures Measures => new(Pattern, Mends, Rules, Limits, NeedsNoHigh, [.. Files.Select(f => f.Name)]);

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
        var reading = new IntakeReading(input, progress, cancel);
        var (state, files) = reading.ReadMeshes();
        int kitMends = input.Rules.Mends.Count;
        Mend[] all = [.. input.Rules.Mends, .. input.Mends];
        var changed = new int[all.Length];
        var refused = new List<RefusedFact>();
        for (int i = 0; i < all.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            if (all[i] is not ({ IsOn: true } and IntakeMend mend))
                continue;
            changed[i] = Mender.Apply(mend, state, cancel) ?? 0;
            // The first says enough.
            refused.AddRange(state.Refused.Take(1).Select(r => new RefusedFact(i, r.Name, r.ReachMetres)));
            state.Refused.Clear();
        }
        state.Objects.RemoveAll(o => o.Mesh.TriangleCount == 0);
        var (far, near) = FarFindings.TakeOut(state);
        var namesakes = MaterialNames.Unify(state);
        progress?.Report(new Progress(0.45, "looking through the meshes"));
        var flaws = IntakeMeasure.Flaws(state, input.Threads, cancel);
        var rows = IntakeMeasure.Rows(state, flaws);
        var textures = reading.LookAtTextures(state, all, changed, files);
        progress?.Report(new Progress(0.75, "looking for what would hurt later"));
        var facts = new IntakeFacts
        {
            Objects = [.. state.Objects.Select((o, i) => IntakeMeasure.Of(o.Mesh, rows[i].Side, flaws[i]))],
            Textures = textures.Looks,
            Overlaps = [.. IntakeMeasure.Overlaps(state, Enumerable.Range(0, rows.Length).Where(i => rows[i].Side == Side.Low && rows[i].UvSets > 0))],
            Strays = state.Strays,
            Refused = refused,
            Far = far,
            Near = near,
            Namesakes = namesakes,
            RenamedMaterials = state.RenamedMaterials,
            Unread = reading.Unread,
            Notes = reading.Notes,
        };
        var report = new IntakeReport(files, rows, IntakeMeasure.LowMaterials(state, rows))
        {
            Textures = textures.Reports,
            Links = textures.Links,
            Materials = [.. state.Materials.Select(m => MaterialReport.Of(m, textures.Links))],
            Mends = [.. all.Select((m, i) => new MendReport(i < kitMends, i < kitMends ? i : i - kitMends, m.Words(), m.IsOn, changed[i]))],
            Strays = [.. state.Strays.Select(s => s.Stray)],
        };
        var scene = new Scene("", [.. state.Objects.Select(o => o.Mesh)], [.. state.Materials.Select(m => Linked(m, textures.Links))], []);
        return new IntakeResult(report, scene, IntakeFindings.Of(report, facts, input.Measures)) { Facts = facts, Pictures = textures.Mended };
    }

    /// <summary>A material whose pictures go by the files that were found for them.</summary>
    private static Material Linked(Material material, IReadOnlyList<TextureLink> links) => material.Textures.Count == 0 ? material : material with
    {
        Textures = [.. material.Textures.Select(t => links.FirstOrDefault(l => l.Material == material.Name && l.Path == t.Path)?.File is { } file
            ? t with { Path = file } : t)],
    };
}
