using System.Text.Json;
using Crumpet.Core.Bind;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;

namespace Crumpet.Web.Pages;

/// <summary>One way of seeing a side of the asset on the stage.</summary>
/// <param name="Key">Side and way, as the stage's script reads it: <c>low:density</c>.</param>
/// <param name="Name">What it is called.</param>
public sealed record StageLook(string Key, string Name);

/// <summary>What the stage shows first.</summary>
/// <param name="A">Left or only look.</param>
/// <param name="B">The look it is compared with.</param>
/// <param name="Compare">one, beside or wipe.</param>
/// <param name="Figure">Whether the 1.75 m figure stands beside the asset.</param>
/// <param name="Cage">Whether cages are drawn around the parts.</param>
public sealed record StageStart(string A, string B, string Compare = "one", bool Figure = false, bool Cage = false);

/// <summary>What the 3D stage of a page shows.</summary>
/// <param name="View">The asset.</param>
/// <param name="Start">What is shown first; looks that are not there yet give way to others.</param>
public sealed record StageModel(AssetView View, StageStart Start)
{
    /// <summary>What can be shown, by side.</summary>
    public IReadOnlyList<(string Side, IReadOnlyList<StageLook> Looks)> Choices()
    {
        var low = new List<StageLook> { new("low:plain", "low shaded") };
        var sheets = Sheets();
        if (sheets.SelectMany(s => s.Maps.Keys).Distinct(StringComparer.Ordinal).ToArray() is { Length: > 0 } maps)
        {
            low.Add(new("low:baked", "low baked"));
            low.AddRange(maps.Select(m => new StageLook($"low:map:{m}", $"{m} map")));
        }
        if (sheets.Any(s => s.Packed.Count > 0))
            low.Add(new("low:packed", "low packed"));
        if (sheets.Any(s => s.Textures.Any(t => t.Url.Length > 0)))
            low.Add(new("low:delivered", "low delivered"));
        low.AddRange([new("low:checker", "UV checker"), new("low:density", "UV density"), new("low:facing", "low facing"), new("low:normals", "low normals"),
            .. Groups("low")]);
        StageLook[] high = [new("high:plain", "high shaded"), new("high:material", "high material"), new("high:facing", "high facing"),
            new("high:normals", "high normals"), .. Groups("high")];
        return [("High side", high), ("Low side", low), .. Others()
            .Select(side => ($"{char.ToUpperInvariant(side[0])}{side[1..]} side",
            (IReadOnlyList<StageLook>)[new($"{side}:plain", $"{side} shaded"), new($"{side}:facing", $"{side} facing")]))];
    }

    /// <summary>The start with every look among the choices.</summary>
    public StageStart Opening()
    {
        var offered = Choices().SelectMany(c => c.Looks).Select(l => l.Key).ToHashSet(StringComparer.Ordinal);
        if (offered.Contains(Start.A) && offered.Contains(Start.B))
            return Start;
        return Start with { A = offered.Contains(Start.A) ? Start.A : HasHigh ? "high:plain" : "low:plain", B = "low:plain", Compare = "one" };
    }

    private bool HasHigh => View.Intake?.Objects.Any(o => o.Side == Side.High) != false;

    /// <summary>All that the stage's script needs to know, as JSON.</summary>
    public string Config()
    {
        var plan = View.Plan;
        var trays = View.Report<PairReport>(Station.Pairs)?.Paired.GroupBy(p => p.Name).ToDictionary(g => g.Key, g => g.First().Tray);
        return JsonSerializer.Serialize(
            new
            {
                Name = AssetBuild.FileNameOf(View.Asset.Name),
                Low = View.Url(Station.Layout, "low.preview") ?? Url(Station.Intake, "low.preview"),
                High = Url(Station.Intake, "high.preview"),
                Others = Others().ToDictionary(s => s, s => Url(Station.Intake, $"{s}.preview")),
                Sheets = Sheets(),
                plan.Target.Green,
                SheetSize = plan.Bake.Size,
                Rays = View.Url(Station.Pairs, "rays.preview"),
                Trays = trays ?? [],
                Start = Opening(),
            },
            BuildJson.Options);
    }

    /// <summary>Sides beside low and high that have objects.</summary>
    private IEnumerable<string> Others() =>
        (View.Intake?.Objects ?? []).Select(o => o.Side).Where(s => s is not (Side.Low or Side.High)).Distinct().Order().Select(Sides.Word);

    private static StageLook[] Groups(string side) =>
        [new($"{side}:parts", $"{side} by part"), new($"{side}:trays", $"{side} by tray"), new($"{side}:materials", $"{side} by material"),
            new($"{side}:colours", $"{side} vertex colours")];

    private string Url(Station station, string name) => View.Url(station, name) ?? "";

    /// <summary>Each sheet's baked maps and bound textures; none while the bake is out of date.</summary>
    private StageSheet[] Sheets()
    {
        var bound = View.Report<BindReport>(Station.Bind)?.Materials ?? [];
        return [.. (View.ShownBake?.Sheets ?? []).Select(sheet =>
        {
            var material = bound.FirstOrDefault(b => b.Material == sheet.Sheet);
            return new StageSheet(
                sheet.Material,
                sheet.Maps.ToDictionary(m => m.Key, m => Url(Station.Bake, sheet.Shown.GetValueOrDefault(m.Key, m.Value))),
                [.. PackedOf(sheet.Sheet)],
                [.. (material?.Inputs ?? []).Where(i => i.File is not null).SelectMany(i => Filled(i.Input, DrawnUrl(i.File!, i.Input.Meaning), i.File!))],
                material?.Traits ?? MaterialTraits.Plain);
        })];
    }

    /// <summary>Packed pictures browsers show, in the slots of the inputs their outputs are named for.</summary>
    private IEnumerable<StageTexture> PackedOf(string sheet)
    {
        var inputs = View.Plan.Target.Model(View.Plan.Materials.GetValueOrDefault(sheet)?.Model).Inputs;
        return from picture in View.Report<PackReport>(Station.Pack)?.Pictures ?? []
               where picture.Sheet == sheet
               let output = View.Plan.Recipe.Outputs.FirstOrDefault(o => o.Name == picture.Output)
               where output?.Picture.IsShownByBrowsers == true
               from input in inputs.Where(i => i.Maps().Contains(picture.Output))
               from texture in Filled(input, Url(Station.Pack, picture.File), picture.File)
               select texture;
    }

    /// <summary>Address of a delivered texture as the card decodes it.</summary>
    private string DrawnUrl(string file, ColourMeaning meaning) =>
        (View.Shown(Station.Convert)?.Files ?? []).Concat(View.Shown(Station.Bind)?.Files ?? []).FirstOrDefault(f => f.Name == file) is { } texture
        ? $"/textures/{texture.Sha256}/stage/{meaning.ToString().ToLowerInvariant()}" : "";

    // Opacity lies in an alpha that is not always there.
    private IEnumerable<StageTexture> Filled(MaterialInput input, string url, string file) => input.Fills
        .Where(f => f.Channel != PictureChannel.A || ChannelsOf(file) == 4)
        .Select(f => new StageTexture(f.Slot.Word, url, (int)f.Channel, input.Meaning == ColourMeaning.Srgb));

    private int? ChannelsOf(string file) => View.Report<ConvertReport>(Station.Convert)?.Textures.FirstOrDefault(t => t.File == file)?.Format.Channels
        ?? View.Report<BindReport>(Station.Bind)?.Shared.FirstOrDefault(t => t.File == file)?.Channels;

    private sealed record StageTexture(string Slot, string Url, int Channel, bool Srgb);

    private sealed record StageSheet(
        int? Material, Dictionary<string, string> Maps, IReadOnlyList<StageTexture> Packed, IReadOnlyList<StageTexture> Textures, MaterialTraits Surface);
}
