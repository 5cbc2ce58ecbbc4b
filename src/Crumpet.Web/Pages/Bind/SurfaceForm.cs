using System.Globalization;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Web.Pages.Bind;

/// <summary>What a material says of its surface, as it is typed: colours as browsers pick them, numbers as text.</summary>
public sealed class SurfaceForm
{
    public AlphaMode Alpha { get; set; }
    public string? Threshold { get; set; }
    public bool TwoSided { get; set; }
    public string? Specular { get; set; }
    public string? SpecularTint { get; set; }
    public string? Emission { get; set; }
    public string? EmissionStrength { get; set; }
    public string? ClearCoat { get; set; }
    public string? ClearCoatRoughness { get; set; }
    public string? Index { get; set; }
    public LightThrough Through { get; set; }
    public string? ThroughShare { get; set; }
    public string? ThroughTint { get; set; }
    public string? ThroughDepthMetres { get; set; }
    public string? RepeatU { get; set; }
    public string? RepeatV { get; set; }
    public string? MoveU { get; set; }
    public string? MoveV { get; set; }
    public string? TurnDegrees { get; set; }

    /// <summary>What was typed over what was said; fields that are not in the form stay.</summary>
    /// <param name="was">What was said.</param>
    /// <exception cref="FormatException">One sentence: a number is none or out of range, or a colour is none.</exception>
    public MaterialTraits Over(MaterialTraits was) => was with
    {
        Alpha = Alpha,
        TwoSided = TwoSided,
        Through = Through,
        Threshold = Number(nameof(Threshold), Threshold, was.Threshold),
        Specular = Number(nameof(Specular), Specular, was.Specular),
        SpecularTint = Colour(SpecularTint, was.SpecularTint),
        Emission = Colour(Emission, was.Emission),
        EmissionStrength = Number(nameof(EmissionStrength), EmissionStrength, was.EmissionStrength),
        ClearCoat = Number(nameof(ClearCoat), ClearCoat, was.ClearCoat),
        ClearCoatRoughness = Number(nameof(ClearCoatRoughness), ClearCoatRoughness, was.ClearCoatRoughness),
        Index = Number(nameof(Index), Index, was.Index),
        ThroughShare = Number(nameof(ThroughShare), ThroughShare, was.ThroughShare),
        ThroughTint = Colour(ThroughTint, was.ThroughTint),
        ThroughDepthMetres = Number(nameof(ThroughDepthMetres), ThroughDepthMetres, was.ThroughDepthMetres),
        RepeatU = Number(nameof(RepeatU), RepeatU, was.RepeatU),
        RepeatV = Number(nameof(RepeatV), RepeatV, was.RepeatV),
        MoveU = Number(nameof(MoveU), MoveU, was.MoveU),
        MoveV = Number(nameof(MoveV), MoveV, was.MoveV),
        TurnDegrees = Number(nameof(TurnDegrees), TurnDegrees, was.TurnDegrees),
    };

    /// <summary>A linear colour as browsers write picked ones.</summary>
    public static string Hex(Tint tint) =>
        "#" + string.Concat(tint.Numbers.Select(v => ((int)(Srgb.FromLinear((float)v) * 255 + 0.5f)).ToString("x2", CultureInfo.InvariantCulture)));

    private static double Number(string field, string? typed, double was) => typed is null ? was : FormNumber.Read<MaterialTraits>(field, typed);

    // A colour that shows the same was not picked anew: eight bits would round it.
    private static Tint Colour(string? typed, Tint was)
    {
        if (typed is null || typed == Hex(was))
            return was;
        if (typed.Length != 7 || typed[0] != '#' || !int.TryParse(typed.AsSpan(1), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out int rgb))
            throw new FormatException($"'{Core.Checking.FieldRules.Quoted(typed)}' is no colour; write it as #rrggbb.");
        return new Tint(Part(rgb >> 16), Part(rgb >> 8), Part(rgb));

        static double Part(int value) => Srgb.ToLinear((value & 255) / 255f);
    }
}
