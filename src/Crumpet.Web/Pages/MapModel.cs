using System.Numerics;
using System.Text.Json;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Storage;

namespace Crumpet.Web.Pages;

/// <summary>A map that can be looked at.</summary>
/// <param name="Group">Where it comes from.</param>
/// <param name="Key">Its name within the page, such as <c>bake/wood_normal.png</c>.</param>
/// <param name="Label">What it is called.</param>
/// <param name="Address">Where its tiles are served, without the mip level; empty for the bare sheet.</param>
/// <param name="IsNormal">Whether its numbers are also read as a vector.</param>
/// <param name="Mips">Levels of its mip chain; 1 for pictures.</param>
/// <param name="Sheet">The sheet it belongs to, or null.</param>
/// <param name="Material">Number of the material whose UVs lie on it; null for all.</param>
/// <param name="Kind">What of its sheet it shows, the same word on every sheet; null for what belongs to none.</param>
public sealed record MapChoice(string Group, string Key, string Label, string Address, bool IsNormal, int Mips, string? Sheet = null, int? Material = null,
    string? Kind = null)
{
    /// <summary>What it is compressed from and how, or null for what is no texture.</summary>
    public TextureLook? Texture { get; init; }
}

/// <summary>How a texture is looked at: as a card decodes its blocks, and beside its picture.</summary>
/// <param name="Format">Name of its format.</param>
/// <param name="Card">How graphics take the format; null where they do not.</param>
/// <param name="IsSigned">Whether −1 to 1 stands for what a picture has from 0 to 1.</param>
/// <param name="RebuildsThird">Whether a normal's third component is made from the others.</param>
/// <param name="IsColour">Whether it is averaged in linear light.</param>
/// <param name="Blocks">Where a level's blocks are served, without the level.</param>
/// <param name="Picture">Key of its picture among the choices.</param>
/// <param name="Filtered">Where the picture's tiles are served, filtered as the texture's levels were, without the level.</param>
/// <param name="Halvings">How often the picture's sides are halved for its level 0.</param>
/// <param name="Measured">Where it is measured beside its picture.</param>
public sealed record TextureLook(string Format, CardFormat? Card, bool IsSigned, bool RebuildsThird, bool IsColour, string Blocks, string Picture,
    string Filtered, int Halvings, string Measured)
{
    /// <summary>How a texture of the store is looked at.</summary>
    /// <param name="sha256">Hash of the texture.</param>
    /// <param name="of">Hash of its picture.</param>
    /// <param name="texture">What is known of it.</param>
    public static TextureLook Of(string sha256, string of, ConvertedTexture texture)
    {
        string meaning = texture.Meaning.ToString().ToLowerInvariant(), filter = texture.Filter.ToString().ToLowerInvariant();
        string tiles = texture.Filter == MipFilter.None ? "kaiser" : filter;
        return new TextureLook(texture.Format.Label, texture.Format.Card, texture.Format.Range == TexelRange.SignedUnit,
            texture.Format.RebuildsThird && texture.Meaning == ColourMeaning.Normal, texture.Meaning == ColourMeaning.Srgb,
            $"/textures/{sha256}/blocks", $"{Station.Pack.Word}/{texture.Picture}", $"{MapModel.AddressOf(of, texture.Meaning)}-{tiles}",
            BitOperations.Log2((uint)texture.Divisor), $"/textures/{sha256}/of/{of}/{meaning}/{filter}");
    }
}

/// <summary>What the map viewer of a page shows.</summary>
/// <param name="View">The asset.</param>
/// <param name="Station">The station whose maps come first.</param>
/// <param name="Start">Key of the first map, or null for the station's first.</param>
/// <param name="Other">Key of the map it is compared with, or null for another one.</param>
/// <param name="Compare">one, wipe or difference.</param>
/// <param name="Wires">Whether UV wires are on from the start.</param>
public sealed record MapModel(AssetView View, Station Station, string? Start = null, string? Other = null, string Compare = "one", bool Wires = false)
{
    /// <summary>Key of the sheet without any picture.</summary>
    public const string Sheet = "sheet";

    private const int RegionsShown = 60;

    /// <summary>All maps of the asset, those of the page's station first.</summary>
    public IReadOnlyList<MapChoice> Choices() =>
        [.. Baked().Concat(Packed()).Concat(Converted()).Concat(Sources()).Concat(BareSheets())
            .OrderBy(c => IsOwn(c) ? 0 : 1)];

    /// <summary>What to do while the station has no map of its own, one sentence, or null.</summary>
    public string? Hint => Choices().Any(IsOwn) ? null
        : $"{(View.MarkOf(Station) is null ? $"Nothing has come from {Station} yet" : $"What came from {Station} is out of date")}: press the main button on "
            + $"the right. Until then the low side's UVs are shown.";

    /// <summary>All that the viewer's script needs to know, as JSON.</summary>
    public string Config()
    {
        var choices = Choices();
        string first = choices.FirstOrDefault(c => c.Key == Start)?.Key ?? (IsOwn(choices[0]) ? choices[0].Key : Sheet);
        string second = choices.FirstOrDefault(c => c.Key == Other)?.Key ?? choices.FirstOrDefault(c => c.Key != first)?.Key ?? first;
        return JsonSerializer.Serialize(
            new
            {
                Choices = choices,
                Start = new { A = first, B = second, Compare },
                Wires,
                SheetSize = View.Plan.Bake.Size,
                Low = View.Url(Station.Layout, "low.preview") ?? View.Url(Station.Intake, "low.preview"),
                Regions = Station == Station.Bake ? Regions() : [],
            },
            BuildJson.Options);
    }

    private bool IsOwn(MapChoice choice) => choice.Key.StartsWith($"{Station}/", StringComparison.OrdinalIgnoreCase);

    private IEnumerable<MapChoice> Baked()
    {
        var report = View.ShownBake;
        foreach (var sheet in report?.Sheets ?? [])
            foreach (var (name, file) in sheet.Maps)
                yield return Choice("Baked", Station.Bake, file, report!.Sheets.Count > 1 ? $"{sheet.Sheet} {Words(name)}" : Words(name),
                    BakeMaps.Find(name)?.Meaning ?? ColourMeaning.Linear, 1, sheet.Sheet, name);
        foreach (var sheet in (report?.Sheets ?? []).Where(s => s.FaultFile.Length > 0))
            yield return Choice("Baked", Station.Bake, sheet.FaultFile, report!.Sheets.Count > 1 ? $"{sheet.Sheet} faults" : "faults", ColourMeaning.Srgb, 1,
                sheet.Sheet, "faults");

        static string Words(string name) => BakeMaps.Find(name)?.Label ?? name;
    }

    private IEnumerable<MapChoice> Packed()
    {
        var outputs = View.Plan.Recipe.Outputs.ToDictionary(o => o.Name, o => o.Meaning);
        return (View.Report<PackReport>(Station.Pack)?.Pictures ?? [])
            .Select(p => Choice("Packed", Station.Pack, p.File, p.File, outputs.GetValueOrDefault(p.Output, ColourMeaning.Linear), 1, p.Sheet, p.Output));
    }

    private IEnumerable<MapChoice> Converted()
    {
        var pictures = View.Report<PackReport>(Station.Pack)?.Pictures ?? [];
        return (View.Report<ConvertReport>(Station.Convert)?.Textures ?? []).Select(t =>
        {
            var picture = pictures.FirstOrDefault(p => p.File == t.Picture);
            var choice = Choice("Textures, decoded", Station.Convert, t.File, t.File, t.Meaning, t.Mips, t.Sheet, picture?.Output ?? t.File);
            return picture is null ? choice : choice with { Texture = Look(t) };
        });
    }

    private TextureLook Look(ConvertedTexture texture) => TextureLook.Of(View.Shown(Station.Convert)!.File(texture.File).Sha256,
        View.Shown(Station.Pack)!.File(texture.Picture).Sha256, texture);

    private IEnumerable<MapChoice> Sources()
    {
        foreach (var t in View.Intake?.Textures ?? [])
        {
            if (View.ContentOf(t) is not { } source)
                continue;
            bool isNormal = t.Kind == TextureKind.Normal;
            if (t.MendedFile is { } mended)
            {
                yield return new MapChoice("Arrived", $"intake/{t.File}", t.File, AddressOf(View.Result(Station.Intake)!.File(mended).Sha256, t.Meaning),
                    isNormal, 1);
                yield return new MapChoice("Before mending", $"intake/before/{t.File}", $"{t.File}, as it came", AddressOf(source, t.Meaning),
                    isNormal, 1);
                continue;
            }
            yield return new MapChoice("Arrived", $"intake/{t.File}", t.File, AddressOf(source, t.Meaning), isNormal, 1);
        }
    }

    /// <summary>Sheets without any picture: each shows the UVs that lie on it, and no others.</summary>
    private IEnumerable<MapChoice> BareSheets()
    {
        (string Name, int? Material)[] sheets = View.ShownBake is { } baked ? [.. baked.Sheets.Select(s => (s.Sheet, s.Material))]
            : [.. (View.Report<LayoutReport>(Station.Layout)?.Sheets ?? []).Select((s, i) => (NameOf(s.Material, i), s.Material ?? i))];
        if (sheets.Length < 2)
            return [new MapChoice("Layout", Sheet, "bare sheet", "", false, 1)];
        return sheets.Select((s, i) => new MapChoice("Layout", i == 0 ? Sheet : $"{Sheet}/{s.Name}",
            $"{s.Name}, bare", "", false, 1, s.Name, s.Material, Sheet));

        string NameOf(int? material, int number) =>
            material is { } m && m >= 0 && m < View.Intake?.Materials.Count ? View.Intake.Materials[m].Name : $"sheet {number + 1}";
    }

    private MapChoice Choice(string group, Station station, string file, string label, ColourMeaning meaning, int mips, string sheet, string kind) => new(
        group, $"{station.Word}/{file}", label, AddressOf(View.Shown(station)!.File(file).Sha256, meaning), meaning == ColourMeaning.Normal, mips, sheet,
            MaterialOf(sheet), kind);

    private int? MaterialOf(string sheet) => View.ShownBake?.Sheets.FirstOrDefault(s => s.Sheet == sheet)?.Material;

    internal static string AddressOf(string sha256, ColourMeaning meaning) => $"/pictures/{sha256}/{meaning.ToString().ToLowerInvariant()}";

    private object[] Regions() =>
        [.. (View.ShownBake?.Sheets ?? []).SelectMany(s => s.Regions.Where(r => r.Kind != FaultKind.Skew).Take(RegionsShown)
            .Select(r => new { s.Sheet, r.Part, r.X, r.Y, r.Width, r.Height }))];
}
