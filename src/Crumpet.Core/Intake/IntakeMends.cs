using System.Globalization;
using System.IO.Enumeration;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>
/// A mend of what arrived. It names files by a pattern and objects by the names their sources gave them, so other mends cannot lead it
/// astray.
/// </summary>
public abstract record IntakeMend : Mend
{
    /// <summary>Files it is for; * stands for any characters.</summary>
    [Words("The file of a mend", FieldRules.LongestName)]
    public string File { get; init; } = "*";

    /// <summary>Objects it is for, by their names in the source; empty for all. A second object of a name is <c>name#2</c>.</summary>
    [Words("An object of a mend", FieldRules.LongestName)]
    public IReadOnlyList<string> Objects { get; init; } = [];

    /// <summary>Whether it is for a file.</summary>
    public bool IsFor(string file) => FileSystemName.MatchesSimpleExpression(File, file)
        || FileSystemName.MatchesSimpleExpression(File, Path.GetFileName(file));

    /// <summary>Tells which objects it is for; made once for many of them.</summary>
    internal Func<IntakeObject, bool> Chooser()
    {
        var names = Objects.ToHashSet(StringComparer.Ordinal);
        return o => (names.Count == 0 || names.Contains(o.SourceName)) && IsFor(o.File);
    }

    /// <summary>Objects and files, as a phrase ends with them.</summary>
    protected string Of() => Objects.Count switch
    {
        0 => File == "*" ? "" : $" of {File}",
        <= 3 => $" of {string.Join(", ", Objects)}",
        _ => $" of {Objects.Count} objects",
    };

    private protected static string Number(double value) => value.ToString("0.#####", CultureInfo.InvariantCulture);
}

/// <summary>Multiplies lengths.</summary>
/// <param name="Factor">Metres for one unit of the source.</param>
public sealed record ScaleUnits([property: Within("The factor of units", 1e-6, 1e6)] double Factor) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Read units{Of()} as {Unit(Factor)}";

    /// <summary>A factor as the unit it stands for.</summary>
    public static string Unit(double factor) => factor switch
    {
        0.001 => "millimetres",
        0.01 => "centimetres",
        0.0254 => "inches",
        0.3048 => "feet",
        100 => "hundreds of metres",
        1000 => "kilometres",
        _ => $"× {Number(factor)}",
    };
}

/// <summary>Turns Z up to Y up: x, y, z become x, z, -y.</summary>
public sealed record TurnUpright : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Turn Z up to Y up{Of()}";
}

/// <summary>Where an origin is put.</summary>
public enum OriginPlace
{
    /// <summary>Middle of the bounds' bottom.</summary>
    BaseCentre,

    /// <summary>Middle of the bounds.</summary>
    BoundsCentre,

    /// <summary>Corner of the bounds with the smallest coordinates.</summary>
    Corner,

    /// <summary>A typed point.</summary>
    Point,
}

/// <summary>Moves all objects together so that a point of the asset becomes its origin.</summary>
/// <param name="Place">Which point.</param>
public sealed record MoveOrigin(OriginPlace Place) : IntakeMend
{
    /// <summary>Metres, for a typed point.</summary>
    [Within("The point's x", -1e6, 1e6, Unit = "m")]
    public double X { get; init; }

    /// <summary>Metres, for a typed point.</summary>
    [Within("The point's y", -1e6, 1e6, Unit = "m")]
    public double Y { get; init; }

    /// <summary>Metres, for a typed point.</summary>
    [Within("The point's z", -1e6, 1e6, Unit = "m")]
    public double Z { get; init; }

    /// <inheritdoc/>
    public override string Words() => Place switch
    {
        OriginPlace.BaseCentre => "Put the origin in the middle of the base",
        OriginPlace.BoundsCentre => "Put the origin in the middle of the bounds",
        OriginPlace.Corner => "Put the origin in the smallest corner",
        _ => $"Put the origin at {Number(X)}, {Number(Y)}, {Number(Z)} m",
    };
}

/// <summary>Takes transforms into the positions.</summary>
public sealed record ApplyTransform : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Apply the transform{Of()}";
}

/// <summary>Gives an object another name.</summary>
/// <param name="To">The name.</param>
public sealed record Rename([property: Words("The new name", FieldRules.LongestName)] string To) : IntakeMend, IChecked
{
    /// <inheritdoc/>
    public string? ProblemTogether() => Objects.Count == 1 ? null : "A new name is for one object; tick one, or rename several by pattern.";

    /// <inheritdoc/>
    public override string Words() => $"Rename {string.Join(", ", Objects)} to {To}";
}

/// <summary>Renames all objects whose names fit a pattern.</summary>
/// <param name="From">Pattern with fields in braces that names must fit.</param>
/// <param name="To">Pattern of the new names; beside the fields of the first it may use <c>{file}</c> and <c>{number}</c>.</param>
public sealed record RenameByPattern([property: Words("The pattern that names fit", Convention.LongestPattern)] string From,
    [property: Words("The pattern of the new names", Convention.LongestPattern)] string To) : IntakeMend, IChecked
{
    /// <inheritdoc/>
    public override string Words() => $"Rename {From} to {To}{Of()}";

    /// <summary>What is wrong with the patterns, one sentence, or null.</summary>
    public string? ProblemTogether()
    {
        try
        {
            var from = Convention.Parse(From, []);
            var to = Convention.Parse(To, []);
            return to.Fields.FirstOrDefault(f => f is not ("file" or "number") && !from.Fields.Contains(f)) is { } unknown
                ? $"The pattern {To} uses {{{unknown}}}, which {From} does not read; use its fields, {{file}} or {{number}}."
                : null;
        }
        catch (FormatException e)
        {
            return e.Message;
        }
    }
}

/// <summary>Takes unseen spaces, look-alike letters and the endings of copies out of names.</summary>
public sealed record CleanNames : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Clean names{Of()}";
}

/// <summary>The new name of one object.</summary>
/// <param name="File">File it is in.</param>
/// <param name="Source">Its name in the source.</param>
/// <param name="To">The name.</param>
public sealed record NewName(
    [property: Words("The file of a new name", FieldRules.LongestName)] string File,
    [property: Words("The old name", FieldRules.LongestName)] string Source,
    [property: Words("The new name", FieldRules.LongestName)] string To);

/// <summary>Gives many objects new names at once.</summary>
/// <param name="Names">One an object.</param>
public sealed record RenameEach(IReadOnlyList<NewName> Names) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => Names.Count switch
    {
        0 => "Rename nothing",
        1 => $"Rename {Names[0].Source} to {Names[0].To}",
        _ => $"Rename {Names.Count} objects, {Names[0].Source} to {Names[0].To} among them",
    };
}

/// <summary>An object of a pair.</summary>
/// <param name="File">File it is in.</param>
/// <param name="Source">Its name in the source.</param>
/// <param name="Side">Its side.</param>
/// <param name="Detail">What tells it from others of the part and side; may be empty.</param>
public sealed record PairMember(
    [property: Words("The file of a pair's object", FieldRules.LongestName)] string File,
    [property: Words("The object of a pair", FieldRules.LongestName)] string Source,
    Side Side,
    [property: Words("The detail of a pair's object", FieldRules.LongestName, MayBeEmpty = true)] string Detail);

/// <summary>
/// Makes objects one part, whatever their names say now or by other words and patterns later; they take the names that the pattern writes.
/// </summary>
/// <param name="Part">The part.</param>
/// <param name="Members">Its objects.</param>
public sealed record PairUp([property: Words("The part", FieldRules.LongestName)] string Part, IReadOnlyList<PairMember> Members) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Pair {string.Join(" with ", Members.Select(m => m.Source).Take(MostNamed))} as {Part}";

    private const int MostNamed = 4;
}

/// <summary>Numbers objects of one name: bolt_low and bolt_low become bolt_1_low and bolt_2_low.</summary>
public sealed record NumberNames : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Number the equal names{Of()}";
}

/// <summary>Takes what stands before names off them.</summary>
/// <param name="Prefix">What goes.</param>
public sealed record StripPrefix([property: Words("The prefix", FieldRules.LongestName)] string Prefix) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Strip {Prefix} from names{Of()}";
}

/// <summary>Says what objects are for. Cameras, lights and empties can only be put aside.</summary>
/// <param name="Side">The side.</param>
public sealed record SetSide(Side Side) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => Side == Side.Aside ? $"Put aside {Names()}" : $"{Names()} {(Objects.Count == 1 ? "is" : "are")} {Sides.Word(Side)}";

    private string Names() => Objects.Count is > 0 and <= 3 ? string.Join(", ", Objects) : Objects.Count == 0 ? $"all{Of()}" : $"{Objects.Count} objects";
}

/// <summary>Takes out triangles without area.</summary>
public sealed record DropEmptyFaces : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Take out faces without area{Of()}";
}

/// <summary>Takes out triangles that reach beyond what is worked with, such as those of a single lost point.</summary>
public sealed record DropFarFaces : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Take out faces that are too far away{Of()}";
}

/// <summary>Makes one object of all objects of a side that have the same material, file by file.</summary>
public sealed record JoinByMaterial : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Join objects by material{Of()}";
}

/// <summary>Takes out triangles that lie on another one.</summary>
public sealed record DropDoubledFaces : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Take out doubled faces{Of()}";
}

/// <summary>Makes neighbours agree about which side is out, and closed shells face outward.</summary>
public sealed record TurnFaces : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Turn faces outward{Of()}";
}

/// <summary>Makes near points one.</summary>
/// <param name="ToleranceMetres">Greatest distance.</param>
public sealed record WeldPoints([property: Within("The tolerance", 0, 1, Unit = "mm", Times = 1000)] double ToleranceMetres) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Weld points within {Lengths.Millimetres(ToleranceMetres)}{Of()}";
}

/// <summary>Gives smooth normals that break at sharp edges.</summary>
/// <param name="Degrees">Sharpest bend that is still smooth.</param>
public sealed record SmoothByAngle([property: Within("The angle", 0, 180, Unit = "°")] double Degrees) : IntakeMend
{
    /// <summary>Whether edges break only where UVs are cut too, as a bake wants it of a low side.</summary>
    public bool AtSeams { get; init; }

    /// <inheritdoc/>
    public override string Words() => $"Smooth up to {Number(Degrees)}°{(AtSeams ? ", hard at seams alone" : "")}{Of()}";
}

/// <summary>Makes hard edges without a UV seam smooth.</summary>
public sealed record SoftenEdges : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Soften hard edges without seam{Of()}";
}

/// <summary>Cuts UVs along hard edges.</summary>
/// <param name="GapPixels">Gap that opens, pixels.</param>
/// <param name="Size">Side of the sheet the pixels are of.</param>
public sealed record CutEdges([property: Within("The gap", 0, 256, Unit = "px")] double GapPixels,
    [property: Within("The sheet the gap is for", 16, 8192, Unit = "px")] int Size) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Cut UVs along hard edges{Of()}, {Number(GapPixels)} px apart at {Size}";
}

/// <summary>Gives the low side one material.</summary>
/// <param name="Into">Its name.</param>
public sealed record MergeMaterials([property: Words("The material", FieldRules.LongestName)] string Into) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Give the low side{Of()} the one material {Into}";
}

/// <summary>Gives materials of one name that files describe differently names of their own. <see cref="IntakeMend.File"/> is not looked at.</summary>
/// <param name="Material">Their name.</param>
public sealed record KeepMaterialsApart([property: Words("The material", FieldRules.LongestName)] string Material) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Keep the materials named {Material} apart";
}

/// <summary>Takes what the first file says of a material for all. <see cref="IntakeMend.File"/> is not looked at.</summary>
/// <param name="Material">Its name.</param>
public sealed record TakeFirstMaterial([property: Words("The material", FieldRules.LongestName)] string Material) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Take {Material} as the first file has it";
}

/// <summary>Takes a file that arrived for a path that leads nowhere. <see cref="IntakeMend.File"/> is not looked at.</summary>
/// <param name="Path">The path as the material has it.</param>
/// <param name="With">The file.</param>
public sealed record UseTexture([property: Words("The path of a texture", FieldRules.LongestText)] string Path,
    [property: Words("The file of a texture", FieldRules.LongestName)] string With) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Take {With} for {Path}";
}

/// <summary>Says what textures are.</summary>
/// <param name="Kind">The kind.</param>
public sealed record SetKind(TextureKind Kind) : IntakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"{File} is {TextureWords.Of(Kind)}";
}

/// <summary>Takes a mend away that was recorded before; itself it is never recorded.</summary>
/// <param name="What">The mend.</param>
public sealed record TakeAway(Mend What) : Mend
{
    /// <inheritdoc/>
    public override string Words() => $"Take away '{What.Words()}'";
}

/// <summary>Kinds of textures in words.</summary>
public static class TextureWords
{
    /// <summary>A kind, in lower case.</summary>
    public static string Of(TextureKind kind) => kind switch
    {
        TextureKind.BaseColour => "base colour",
        TextureKind.Occlusion => "ambient occlusion",
        TextureKind.Id => "ID",
        _ => kind.ToString().ToLowerInvariant(),
    };
}

/// <summary>All kinds of mends of this station.</summary>
public static class IntakeMendKinds
{
    /// <summary>One row a kind.</summary>
    public static IReadOnlyList<MendKind> All { get; } =
    [
        new("units", typeof(ScaleUnits), true), new("upright", typeof(TurnUpright), true), new("origin", typeof(MoveOrigin)),
            new("transform", typeof(ApplyTransform), true),
        new("rename", typeof(Rename)), new("renameByPattern", typeof(RenameByPattern), true), new("renameEach", typeof(RenameEach)),
            new("pairUp", typeof(PairUp)), new("cleanNames", typeof(CleanNames)),
        new("numberNames", typeof(NumberNames)), new("stripPrefix", typeof(StripPrefix), true), new("side", typeof(SetSide)),
            new("joinByMaterial", typeof(JoinByMaterial), true),
        new("dropEmptyFaces", typeof(DropEmptyFaces), true), new("dropDoubledFaces", typeof(DropDoubledFaces)), new("dropFarFaces", typeof(DropFarFaces), true),
            new("turnFaces", typeof(TurnFaces), true),
        new("weld", typeof(WeldPoints), true), new("smooth", typeof(SmoothByAngle), true), new("soften", typeof(SoftenEdges)), new("cut", typeof(CutEdges)),
        new("mergeMaterials", typeof(MergeMaterials)), new("keepApart", typeof(KeepMaterialsApart)), new("takeFirst", typeof(TakeFirstMaterial)),
            new("useTexture", typeof(UseTexture)), new("kind", typeof(SetKind)),
            new("resize", typeof(ResizeTexture)),
        new("heightToNormal", typeof(MakeNormals)), new("unitLength", typeof(UnitLength), true), new("dropAlpha", typeof(DropAlpha), true),
            new("takeAway", typeof(TakeAway)),
    ];

    /// <summary>A mend as a rule for every file of a kit, those still to come included; null where it makes sense for its own asset alone.</summary>
    public static IntakeMend? ForKit(Mend mend) =>
        mend is IntakeMend own && All.Any(k => k.Type == mend.GetType() && k.CanBeKitRule) ? own with { File = "*", Objects = [] } : null;
}
