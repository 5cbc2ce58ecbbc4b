using System.Numerics;
using System.Text.Json;
using System.Text.Json.Serialization;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Bake;

/// <summary>What baking a piece tells.</summary>
/// <param name="Rays">Rays cast for it.</param>
public sealed record PieceReport(long Rays)
{
    /// <summary>How its values are spread; null for a map whose scale is plain.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public MapSpread? Spread { get; init; }
}

/// <summary>
/// Bakes what a part covers of a sheet, or its share of one map: shapes <c>low/K</c> with <c>laid/K</c>, <c>rays</c>, <c>stacked</c>,
/// <c>high/K</c>, <c>spread/K</c>, <c>occluder/K</c> and pictures, to <c>piece</c>. Pieces of one bake are worked together: they share
/// rays and hierarchies.
/// </summary>
public sealed class PieceJob() : JobKind("piece", 5, typeof(PieceSettings))
{
    /// <inheritdoc/>
    public override string Words => "pieces of maps to cast";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.3;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    public override string? TogetherBy(object settings) => settings is PieceSettings s ? $"{s.Samples} {s.Filter} {s.MissesAreHoles} {s.FillsMisses}" : null;

    /// <inheritdoc/>
    public override double Cost(object settings, IReadOnlyList<StoredFile> inputs)
    {
        var s = (PieceSettings)settings;
        // Millions of rays, a part taken for a twentieth of its sheet: nobody knows better before islands were drawn.
        double samples = 0.05 * s.Size * s.Size * s.Samples * s.Samples / 1e6;
        return s.Light is { } light ? 0.05 * s.Size * s.Size * Math.Max(light.Rays, s.Samples * s.Samples) / 1e6
            : s.Thickness is { } thickness ? 0.05 * s.Size * s.Size * Math.Max(thickness.Rays, s.Samples * s.Samples) / 1e6
            : s.Map is null ? samples : 0.25 * samples;
    }

    /// <inheritdoc/>
    public override void Work(IReadOnlyList<JobRequest> jobs, JobContext context, Action<int, JobOutput> done)
    {
        // Two bakes may ask for one map in two ways; those are two batches.
        var batches = new List<Dictionary<BakeMap, string>>();
        var members = new List<List<int>>();
        for (int i = 0; i < jobs.Count; i++)
        {
            var settings = (PieceSettings)jobs[i].Settings;
            var (map, way) = settings.Map is { } asked ? (asked, WayOf(settings, context.Json)) : default;
            int batch = settings.Map is null ? 0 : batches.FindIndex(b => !b.TryGetValue(map, out string? other) || other == way);
            if (batch < 0 || batch >= batches.Count)
            {
                (batch, batches, members) = (batches.Count, [.. batches, []], [.. members, []]);
            }
            if (settings.Map is not null)
                batches[batch][map] = way;
            members[batch].Add(i);
        }
        for (int b = 0; b < members.Count; b++)
        {
            int before = b;
            var inner = context.Progress is null ? null : new Share(context.Progress, (double)before / members.Count, 1.0 / members.Count);
            new PieceBatch([.. members[b].Select(i => jobs[i])], context with { Progress = inner }).Bake((i, output) => done(members[before][i], output));
        }
    }

    /// <summary>What two pieces of one map must have in common to be baked together.</summary>
    private static string WayOf(PieceSettings s, JsonSerializerOptions json) => JsonSerializer.Serialize(
        new { Light = s.Light is null ? null : s.Light with { Occluders = [], RangeMetres = 0 }, s.Thickness, s.Curvature, s.IdBy, s.OpacityBy, s.HighNormals },
            json);

    private sealed class Share(IProgress<Progress> to, double from, double share) : IProgress<Progress>
    {
        public void Report(Progress value) => to.Report(value with { Fraction = from + share * value.Fraction });
    }
}

/// <summary>Pieces that are baked together.</summary>
internal sealed class PieceBatch
{
    private readonly IReadOnlyList<JobRequest> jobs;
    private readonly JobContext context;
    private readonly PieceSettings[] all;
    private readonly string[] names;
    private readonly Dictionary<string, int> numbers;
    private readonly Dictionary<(int Part, int Number), HighObject> high = [];

    public PieceBatch(IReadOnlyList<JobRequest> jobs, JobContext context)
    {
        this.jobs = jobs;
        this.context = context;
        all = [.. jobs.Select(j => (PieceSettings)j.Settings)];
        names = [.. all.SelectMany(s => s.Seen.Concat(s.Light?.Occluders ?? []).Select(o => o.Part).Prepend(s.Part)).Distinct().Order(StringComparer.Ordinal)];
        numbers = names.Select((name, i) => (name, i)).ToDictionary(p => p.name, p => p.i, StringComparer.Ordinal);
    }

    public void Bake(Action<int, JobOutput> done)
    {
        var settings = Settings();
        NoteHigh();
        // All pieces of a part on a sheet share their rays.
        var groups = Enumerable.Range(0, jobs.Count).GroupBy(i => (all[i].Part, all[i].Sheet, all[i].Size)).Select(g => g.ToArray()).ToArray();
        var parts = new BakePart[names.Length];
        for (int p = 0; p < parts.Length; p++)
            parts[p] = new BakePart(names[p], [], []);
        var requests = new PieceRequest[groups.Length];
        for (int g = 0; g < groups.Length; g++)
        {
            context.Cancel.ThrowIfCancellationRequested();
            int part = numbers[all[groups[g][0]].Part];
            if (parts[part].Low.Count == 0)
                parts[part] = PartOf(groups[g][0]);
            requests[g] = RequestOf(groups[g], part);
        }
        float ground = all.Select(s => s.Light?.GroundMetres).FirstOrDefault(g => g is not null) ?? 0;
        var input = new BakeInput("", parts, [])
        {
            Materials = Materials(),
            AssetBounds = new Bounds(new Vector3(0, ground, 0), new Vector3(0, ground, 0)),
        };
        PieceBaker.Bake(input, settings, requests, context.Threads, context.Progress, (g, cover, maps) =>
        {
            foreach (int i in groups[g])
            {
                context.Cancel.ThrowIfCancellationRequested();
                if (all[i].Map is not { } map)
                    done(i, new JobOutput { Report = new PieceReport(cover.Rays) }.With("piece", PieceFile.Write(cover)));
                else if (maps.First(m => m.Map == map) is var made)
                    done(i, new JobOutput { Report = new PieceReport(made.Rays) { Spread = made.Spread } }.With("piece", PieceFile.Write(made)));
            }
        }, context.Cancel);
    }

    /// <summary>What all pieces ask for as one bake.</summary>
    private BakeSettings Settings()
    {
        var light = all.FirstOrDefault(s => s.Light is not null)?.Light;
        var thickness = all.FirstOrDefault(s => s.Thickness is not null)?.Thickness;
        var plain = new BakeSettings();
        return plain with
        {
            Maps = BakeMap.Table.Sorted(all.Select(s => s.Map).OfType<BakeMap>().Concat(all[0].MissesAreHoles ? [BakeMap.Opacity] : [])),
            Samples = all[0].Samples,
            Filter = all[0].Filter,
            OpacityBy = all[0].MissesAreHoles ? OpacitySource.Misses : all.FirstOrDefault(s => s.OpacityBy is not null)?.OpacityBy ?? OpacitySource.Alpha,
            OcclusionRays = light?.Rays ?? plain.OcclusionRays,
            FillsMisses = all[0].FillsMisses,
            OcclusionFalloffMetres = light?.FalloffMetres ?? 0,
            BackFacesOcclude = light?.BackFacesOcclude ?? true,
            GroundOccludes = light?.GroundMetres is not null,
            Denoise = light?.Denoise ?? thickness?.Denoise ?? false,
            ThicknessRays = thickness?.Rays ?? plain.ThicknessRays,
            ThicknessRangeMetres = thickness?.RangeMetres,
            CurvatureRadiusMetres = all.FirstOrDefault(s => s.Curvature is not null)?.Curvature!.RadiusMetres,
            IdBy = all.FirstOrDefault(s => s.IdBy is not null)?.IdBy ?? plain.IdBy,
            HighNormals = all.FirstOrDefault(s => s.HighNormals is not null)?.HighNormals ?? HighNormalUse.LeftOut,
        };
    }

    /// <summary>Makes every high object once, with all that any piece knows of it.</summary>
    private void NoteHigh()
    {
        var shapes = new Dictionary<(int Part, int Number), (JobInputs Inputs, string Role)>();
        var spreads = new Dictionary<(int Part, int Number), (JobInputs Inputs, string Role)>();
        var labels = new Dictionary<(int Part, int Number), string>();
        for (int i = 0; i < jobs.Count; i++)
        {
            Note(jobs[i].Inputs, all[i].Seen, "high");
            Note(jobs[i].Inputs, all[i].Light?.Occluders ?? [], "occluder");
        }
        foreach (var (place, shape) in shapes)
        {
            var mesh = shape.Inputs.Shape(shape.Role);
            if (spreads.TryGetValue(place, out var spread))
                mesh = mesh.WithSpread(spread.Inputs.Bytes(spread.Role));
            high.Add(place, new HighObject(place.Part, place.Number, mesh with { Name = labels.GetValueOrDefault(place, "") }));
        }

        void Note(JobInputs inputs, IReadOnlyList<PieceObject> objects, string list)
        {
            for (int k = 0; k < objects.Count; k++)
            {
                var place = (numbers[objects[k].Part], objects[k].Number);
                shapes.TryAdd(place, (inputs, $"{list}/{k}"));
                if (list == "high" && inputs.Find($"spread/{k}") is not null)
                    spreads.TryAdd(place, (inputs, $"spread/{k}"));
                if (objects[k].Name is { } name)
                    labels.TryAdd(place, name);
            }
        }
    }

    private BakePart PartOf(int job)
    {
        var (settings, inputs) = (all[job], jobs[job].Inputs);
        var low = inputs.List("low").Select((role, k) => inputs.Shape(role).WithLaid(inputs.Bytes($"laid/{k}"))).ToArray();
        return new BakePart(settings.Part, low, [.. High(settings.Seen).Where(o => o.Part == numbers[settings.Part]).Select(o => o.Mesh)])
        {
            OutwardReachMetres = settings.OutwardReachMetres,
            InwardReachMetres = settings.InwardReachMetres,
            Rays = RaysFile.InOrder(inputs.Value("rays", RaysFile.Read)),
            EndsAreFitted = settings.EndsAreFitted,
            OcclusionRangeMetres = all.FirstOrDefault(s => s.Part == settings.Part && s.Light is not null)?.Light!.RangeMetres ?? 0,
        };
    }

    private PieceRequest RequestOf(int[] group, int part)
    {
        var first = all[group[0]];
        var stacked = context.Read<int[]>(jobs[group[0]].Inputs.Bytes("stacked")).ToHashSet();
        var maps = BakeMap.Table.Sorted(group.Select(i => all[i].Map).OfType<BakeMap>());
        var light = group.Select(i => all[i].Light).FirstOrDefault(l => l is not null);
        return new PieceRequest(part, first.Sheet, stacked, first.Size, maps, High(first.Seen), light is null ? [] : High(light.Occluders));
    }

    private HighObject[] High(IReadOnlyList<PieceObject> objects) => [.. objects.Select(o => high[(numbers[o.Part], o.Number)])];

    /// <summary>Materials by their numbers, each with all that any piece knows of it.</summary>
    private BakeMaterial[] Materials()
    {
        var said = Enumerable.Range(0, jobs.Count).SelectMany(i => (all[i].Materials ?? []).Select(m => (Job: i, Material: m))).ToArray();
        var plain = new BakeMaterial(Material.Plain, new Dictionary<TextureKind, BakeTexture>());
        var materials = Enumerable.Repeat(plain, said.Select(m => m.Material.Number + 1).DefaultIfEmpty(0).Max()).ToArray();
        foreach (var group in said.GroupBy(m => m.Material.Number))
        {
            var textures = new Dictionary<TextureKind, BakeTexture>();
            foreach (var (job, material) in group)
            {
                foreach (var texture in material.Textures.Where(t => !textures.ContainsKey(t.Slot)))
                    textures.Add(texture.Slot, TextureOf(jobs[job].Inputs, texture));
            }
            var shown = group.Select(m => m.Material).FirstOrDefault(m => m.BaseColour is not null);
            string name = group.Select(m => m.Material.Name).FirstOrDefault(n => n is not null) ?? "";
            materials[group.Key] = new BakeMaterial(
                new Material(name, shown?.BaseColour is { } c ? new Vector4(c) : Vector4.One, shown?.Roughness ?? 1, shown?.Metalness ?? 0), textures);
        }
        return materials;
    }

    private static BakeTexture TextureOf(JobInputs inputs, PieceTexture texture)
    {
        float[] t = texture.UvTransform;
        var picture = inputs.Made($"picture {texture.Ending}", [texture.Role], 8 * inputs[texture.Role].Bytes,
            () => ImageFile.Read(inputs.Bytes(texture.Role), "picture" + texture.Ending));
        return new BakeTexture(picture, texture.UvSet, new Matrix3x2(t[0], t[1], t[2], t[3], t[4], t[5]));
    }
}
