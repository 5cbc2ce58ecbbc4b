using System.Text.Json.Serialization;
using Crumpet.Core.Bake;
using Crumpet.Core.Convert;
using Crumpet.Core.Deliver;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Building;

/// <summary>What was baked onto one sheet.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Material">Number of the material whose triangles it covers; null where it covers all.</param>
/// <param name="Maps">File of each map, by the map's name in recipes.</param>
/// <param name="CoveredTexels">Texels a low triangle covers.</param>
/// <param name="Rays">Rays cast.</param>
/// <param name="FaultTexels">Wrong texels by cause.</param>
/// <param name="Regions">Wrong regions, most texels first.</param>
/// <param name="RegionCount">How many regions there are; <paramref name="Regions"/> holds the largest.</param>
public sealed record SheetReport(
    string Sheet, int? Material, IReadOnlyDictionary<string, string> Maps, int CoveredTexels, long Rays,
    IReadOnlyDictionary<FaultKind, int> FaultTexels, IReadOnlyList<FaultRegion> Regions, int RegionCount)
{
    /// <summary>Side of the sheet as it was baked, pixels.</summary>
    public int Size { get; init; }

    /// <summary>Pictures a browser can show of maps whose files are none, by the map's name.</summary>
    public IReadOnlyDictionary<string, string> Shown { get; init; } = new Dictionary<string, string>();

    /// <summary>File of the fault map.</summary>
    public string FaultFile { get; init; } = "";

    /// <summary>What full scale stands for, for maps in units.</summary>
    public IReadOnlyList<MapScale> Scales { get; init; } = [];

    /// <summary>What the colours of the ID map stand for.</summary>
    public IReadOnlyList<LegendRow> Legend { get; init; } = [];
}

/// <summary>What a bake gave.</summary>
public sealed record BakeReport(IReadOnlyList<SheetReport> Sheets);

/// <summary>One packed picture.</summary>
/// <param name="Sheet">Sheet it belongs to.</param>
/// <param name="Output">Name of the recipe's output.</param>
/// <param name="File">Its loose file.</param>
/// <param name="Width">Width, pixels.</param>
/// <param name="Height">Height, pixels.</param>
/// <param name="Channels">What feeds each channel, in words.</param>
public sealed record PackedPicture(string Sheet, string Output, string File, int Width, int Height, IReadOnlyList<string> Channels);

/// <summary>What packing gave.</summary>
public sealed record PackReport(IReadOnlyList<PackedPicture> Pictures);

/// <summary>One compressed texture.</summary>
/// <param name="Sheet">Sheet it belongs to.</param>
/// <param name="File">DDS file.</param>
/// <param name="Picture">PNG file it was made from.</param>
/// <param name="Format">How texels are stored.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Size">Side, pixels.</param>
/// <param name="Mips">Levels.</param>
/// <param name="Bytes">Bytes of the file.</param>
/// <param name="Quality">Difference from the picture after decoding.</param>
public sealed record ConvertedTexture(
    string Sheet, string File, string Picture, TextureFormat Format, ColourMeaning Meaning, int Size, int Mips, long Bytes, TextureQuality Quality)
{
    /// <summary>Name of the output.</summary>
    public string Output { get; init; } = "";

    /// <summary>Rows of level 0.</summary>
    public int Height { get; init; }

    /// <summary>Bytes of all levels, as they lie on the card.</summary>
    public long Memory { get; init; }

    /// <summary>How its levels were filtered.</summary>
    public MipFilter Filter { get; init; } = MipFilter.Kaiser;

    /// <summary>What it could be stored as.</summary>
    public ChoicesReport? Choices { get; init; }

    /// <summary>How many times smaller it is than its picture: 1, 2, 4.</summary>
    [JsonIgnore]
    public int Divisor => Choices is { } choices ? Math.Max(1, choices.Side / Math.Max(1, Math.Max(Size, Height))) : 1;

    /// <summary>Whether it is stored as a choice says.</summary>
    /// <param name="choice">One of its choices.</param>
    public bool Is(TextureChoice choice) => choice.Format == Format && choice.Divisor == Divisor;
}

/// <summary>What conversion gave.</summary>
public sealed record ConvertReport(IReadOnlyList<ConvertedTexture> Textures);

/// <summary>What was delivered.</summary>
/// <param name="Package">Name of the zip in the result's files.</param>
/// <param name="Files">Path and size of every file in it.</param>
public sealed record DeliverReport(string Package, IReadOnlyList<DeliveredFile> Files);
