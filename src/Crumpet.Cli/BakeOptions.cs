using System.CommandLine;
using System.Globalization;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;
using Crumpet.Core.Targets;

namespace Crumpet.Cli;

/// <summary>What a bake on the command line can be told, and the plan that makes.</summary>
internal static class BakeOptions
{
    private static readonly BakeSettings Default = new();
    private static readonly string MapNames = string.Join(", ", BakeMaps.All.Select(m => m.Name));

    private static readonly Option<string> Maps = Text("--maps", "normal,ao", $"Maps with commas between, or all: {MapNames}.");
    private static readonly Option<int> Size = Number("--size", Default.Size, "Side of a sheet, pixels, to 8192.");
    private static readonly Option<string[]> SheetSizes = new(
        "--sheet-size")
    { AllowMultipleArgumentsPerToken = true, Description = "Size of single sheets: NAME=PIXELS." };
    private static readonly Option<string> Files = Text("--files", "", "How single maps are written: MAP=png8, png16, tga or exr, with commas between.");
    private static readonly Option<int> Draft = Number("--draft", 0, "Bake a draft: 1 at half the size, 2 at a quarter, 3 at an eighth.");
    private static readonly Option<int> Samples = Number("--samples", Default.Samples, "Side of the sample grid in a texel: 1, 2, 4 or 8.");
    private static readonly Option<string> Filter = Text("--filter", "tent", "How samples are spread: tent over two texels, or box over one.");
    private static readonly Option<bool> Fill = new("--fill-misses") { Description = "Let texels whose rays meet nothing take the nearest high surface." };
    private static readonly Option<string> Direction = Text("--direction", "smooth", "Where rays come from over hard edges: smooth, split or blended.");
    private static readonly Option<int> Blend = Number("--blend", 50, "Share of split directions in blended ones, percent.");
    private static readonly Option<string> Trays = Text("--trays", "plan",
        "plan: the fewest on which no parts in contact lie together; one: all parts see each other; parts: each on its own.");
    private static readonly Option<string> Green = Text("--green", "up", "Direction of green in tangent-space maps: up or down.");
    private static readonly Option<string> HighNormals = Text("--high-normals", "up",
        "Normal textures of the high side: folded into normal maps with their green up or down, or left out: none.");
    private static readonly Option<int> Bits = Number("--bits", Default.Bits, "Bits a channel: 8 or 16; height and position have 16 all the same.");
    private static readonly Option<bool> NoDither = new("--no-dither") { Description = "Round 8-bit maps instead of dithering them." };
    private static readonly Option<string> Padding = Text("--padding", Default.PaddingPixels.ToString(CultureInfo.InvariantCulture),
        "Padding, pixels, or all for the whole sheet.");
    private static readonly Option<bool> Alpha = new("--alpha") { Description = "Give maps an alpha channel with the coverage." };
    private static readonly Option<int> AoRays = Number("--ao-rays", Default.OcclusionRays, "Rays a texel of occlusion and the bent normal.");
    private static readonly Option<string> OccludedBy = Text("--occluders", "tray", "What blocks light: tray, asset or part.");
    private static readonly Option<float?> AoRange = Fitted("--ao-range",
        "How far away something still occludes, metres; 0 for any distance, else as far as each part is large.");
    private static readonly Option<float> AoFalloff = Metres("--ao-falloff", 0, "Over how much of the range's end occlusion fades, metres.");
    private static readonly Option<bool> Ground = new("--ground") { Description = "Let the ground under the asset occlude." };
    private static readonly Option<bool> OutsidesOnly = new("--outsides-only") { Description = "Let surfaces occlude from their outside alone." };
    private static readonly Option<bool> Denoise = new("--denoise") { Description = "Smooth occlusion and thickness where the surface has no edge." };
    private static readonly Option<int> ThicknessRays = Number("--thickness-rays", Default.ThicknessRays, "Rays a texel of thickness.");
    private static readonly Option<float?> ThicknessRange = Fitted("--thickness-range", "Thickness that is white, metres; else fitted to the map.");
    private static readonly Option<float?> CurvatureRadius = Fitted("--curvature-radius",
        "Radius curvature is smoothed over, metres; 0 for none, else fitted to each object.");
    private static readonly Option<float?> CurvatureFull = Fitted("--curvature-full",
        "Radius of the sphere whose curvature is white, metres; else fitted to the map.");
    private static readonly Option<float> HeightRange = Metres("--height-range", 0, "Height that is white, metres; 0 takes the greatest there is.");
    private static readonly Option<string> IdBy = Text("--id-by", "material", "What has one colour in the ID map: material, colour, part or shell.");
    private static readonly Option<string> Opacity = Text("--opacity", "alpha", "What makes texels see-through: alpha of the high side, or misses of rays.");

    /// <summary>All of them.</summary>
    public static IReadOnlyList<Option> All { get; } =
    [
        Maps, Size, SheetSizes, Files, Draft, Samples, Filter, Fill, Direction, Blend, Trays, Green, HighNormals, Bits, NoDither, Padding, Alpha,
            AoRays, OccludedBy, AoRange, AoFalloff, Ground,
        OutsidesOnly, Denoise, ThicknessRays, ThicknessRange, CurvatureRadius, CurvatureFull, HeightRange, IdBy, Opacity,
    ];

    /// <summary>The plan they make; whether it can be used is asked when all is said.</summary>
    /// <exception cref="UsageException">One of them cannot be used.</exception>
    public static AssetPlan Read(ParseResult parsed)
    {
        return new AssetPlan
        {
            Target = new Target { Green = Choice(parsed, Green, ("up", GreenDirection.Up), ("down", GreenDirection.Down)) },
            Trays = Choice(parsed, Trays, ("plan", TrayMode.Planned), ("one", TrayMode.One), ("parts", TrayMode.Parts)),
            Pairs = new PairSettings
            {
                Direction = Choice(parsed, Direction, ("smooth", RayDirection.Smooth), ("split", RayDirection.Split), ("blended", RayDirection.Blended)),
                Blend = parsed.GetValue(Blend) / 100f,
            },
            Bake = new BakeSettings
            {
                Maps = ReadMaps(parsed.GetValue(Maps)!),
                Size = parsed.GetValue(Size),
                SheetSizes = Pairs("--sheet-size", parsed.GetValue(SheetSizes) ?? []).ToDictionary(
                    p => p.Key, p => int.TryParse(p.Value, CultureInfo.InvariantCulture, out int size) ? size
                        : throw new UsageException($"--sheet-size has '{p.Value}', which is no number of pixels."), StringComparer.Ordinal),
                Files = Pairs("--files", Split(parsed.GetValue(Files)!)).ToDictionary(p => MapOf("--files", p.Key), p => FileOf(p.Value)),
                Draft = parsed.GetValue(Draft),
                Samples = parsed.GetValue(Samples),
                Filter = Choice(parsed, Filter, ("tent", SampleFilter.Tent), ("box", SampleFilter.Box)),
                FillsMisses = parsed.GetValue(Fill),
                HighNormals = Choice(parsed, HighNormals, ("up", HighNormalUse.GreenUp), ("down", HighNormalUse.GreenDown), ("none", HighNormalUse.LeftOut)),
                Bits = parsed.GetValue(Bits),
                Dither = !parsed.GetValue(NoDither),
                PaddingPixels = ReadPadding(parsed.GetValue(Padding)!),
                CoverageAlpha = parsed.GetValue(Alpha),
                OcclusionRays = parsed.GetValue(AoRays),
                Occluders = Choice(parsed, OccludedBy, ("tray", Occluders.Tray), ("asset", Occluders.Asset), ("part", Occluders.Part)),
                OcclusionRangeMetres = parsed.GetValue(AoRange),
                OcclusionFalloffMetres = parsed.GetValue(AoFalloff),
                GroundOccludes = parsed.GetValue(Ground),
                BackFacesOcclude = !parsed.GetValue(OutsidesOnly),
                Denoise = parsed.GetValue(Denoise),
                ThicknessRays = parsed.GetValue(ThicknessRays),
                ThicknessRangeMetres = parsed.GetValue(ThicknessRange),
                CurvatureRadiusMetres = parsed.GetValue(CurvatureRadius),
                CurvatureFullRadiusMetres = parsed.GetValue(CurvatureFull),
                HeightRangeMetres = parsed.GetValue(HeightRange),
                IdBy = Choice(parsed, IdBy, ("material", IdSource.Material), ("colour", IdSource.Colour), ("part", IdSource.Part), ("shell", IdSource.Shell)),
                OpacityBy = Choice(parsed, Opacity, ("alpha", OpacitySource.Alpha), ("misses", OpacitySource.Misses)),
            },
        };
    }

    private static BakeMap[] ReadMaps(string words) => words == "all" ? [.. BakeMaps.All] : [.. Split(words).Select(w => MapOf("--maps", w)).Distinct()];

    private static BakeMap MapOf(string option, string word) =>
        BakeMaps.Find(word) ?? throw new UsageException($"{option} has '{word}'; the maps are {MapNames}.");

    private static MapFile FileOf(string word) => word switch
    {
        "png8" => MapFile.Png8,
        "png16" => MapFile.Png16,
        "tga" => MapFile.Tga,
        "exr" => MapFile.Exr,
        _ => throw new UsageException($"--files has '{word}'; maps are written as png8, png16, tga or exr."),
    };

    private static int ReadPadding(string word) => word == "all" ? BakeSettings.WholeSheet
        : int.TryParse(word, CultureInfo.InvariantCulture, out int pixels) && pixels >= 0 ? pixels
            : throw new UsageException($"--padding is '{word}'; it must be a number of pixels, 0 or more, or all.");

    private static T Choice<T>(ParseResult parsed, Option<string> option, params (string Word, T Value)[] choices)
    {
        string word = parsed.GetValue(option)!;
        foreach (var (known, value) in choices)
        {
            if (known == word)
                return value;
        }
        string words = string.Join(", ", choices[..^1].Select(c => c.Word)) + " or " + choices[^1].Word;
        throw new UsageException($"{option.Name} is '{word}'; it must be {words}.");
    }

    private static string[] Split(string list) => list.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);

    private static IEnumerable<(string Key, string Value)> Pairs(string option, IEnumerable<string> items) => items.Select(item =>
        item.LastIndexOf('=') is > 0 and int at ? (item[..at], item[(at + 1)..]) : throw new UsageException($"{option} has '{item}'; write it as NAME=VALUE."))
            .DistinctBy(p => p.Item1);

    private static Option<string> Text(string name, string otherwise, string description) =>
        new(name) { DefaultValueFactory = _ => otherwise, Description = description };

    private static Option<int> Number(string name, int otherwise, string description) =>
        new(name) { DefaultValueFactory = _ => otherwise, Description = description };

    private static Option<float> Metres(string name, float otherwise, string description) =>
        new(name) { DefaultValueFactory = _ => otherwise, Description = description };

    private static Option<float?> Fitted(string name, string description) => new(name) { Description = description };
}
