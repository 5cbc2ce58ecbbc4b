using Crumpet.Core;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Web;

/// <summary>A mend as the form for mends by hand sends it.</summary>
public sealed class HandMend
{
    /// <summary>Which mend, by its word.</summary>
    public string What { get; set; } = "";

    /// <summary>Source names of the objects it is for; none for all.</summary>
    public List<string> Objects { get; set; } = [];

    /// <summary>Textures it is for.</summary>
    public List<string> Textures { get; set; } = [];

    /// <summary>Metres for one unit.</summary>
    public string? Factor { get; set; }

    /// <summary>Where the origin goes.</summary>
    public OriginPlace Place { get; set; }

    /// <summary>A typed point, three numbers.</summary>
    public string? Point { get; set; }

    /// <summary>A new name, a prefix, or a material.</summary>
    public string? Text { get; set; }

    /// <summary>Pattern that names fit.</summary>
    public string? From { get; set; }

    /// <summary>Pattern of the new names.</summary>
    public string? To { get; set; }

    /// <summary>A side.</summary>
    public Side Side { get; set; }

    /// <summary>Millimetres, degrees, or pixels.</summary>
    public string? Amount { get; set; }

    /// <summary>A kind of texture.</summary>
    public TextureKind Kind { get; set; }

    /// <summary>Pixels.</summary>
    public int Width { get; set; }

    /// <summary>Pixels.</summary>
    public int Height { get; set; }

    /// <summary>3, 5 or 9.</summary>
    public int Kernel { get; set; } = 3;

    /// <summary>Whether heights go on at the opposite edge.</summary>
    public bool Wrap { get; set; }

    /// <summary>The mends it asks for.</summary>
    /// <param name="sheetSize">Side of the sheet that gaps are for, pixels.</param>
    /// <param name="problem">What is wrong with it, one sentence, or null.</param>
    public IReadOnlyList<Mend> Read(int sheetSize, out string? problem)
    {
        try
        {
            problem = null;
            return TextureMend() is { } texture ? OnTextures(texture) : [ObjectMend(sheetSize) with { Objects = Objects }];
        }
        catch (FormatException e)
        {
            problem = e.Message;
            return [];
        }
    }

    private IntakeMend ObjectMend(int sheetSize) => What switch
    {
        "units" => new ScaleUnits(FormNumber.Read<ScaleUnits>(nameof(ScaleUnits.Factor), Factor)),
        "upright" => new TurnUpright(),
        "origin" => Origin(),
        "transform" => new ApplyTransform(),
        "rename" => new Rename(Word("the new name")),
        "renameByPattern" => new RenameByPattern(From?.Trim() ?? "", To?.Trim() ?? ""),
        "stripPrefix" => new StripPrefix(Word("the prefix")),
        "numberNames" => new NumberNames(),
        "cleanNames" => new CleanNames(),
        "side" => Objects.Count > 0 ? new SetSide(Side) : throw new FormatException("Tick the objects whose side you want to say."),
        "weld" => new WeldPoints(FormNumber.Read<WeldPoints>(nameof(WeldPoints.ToleranceMetres), Amount)),
        "smooth" => new SmoothByAngle(FormNumber.Read<SmoothByAngle>(nameof(SmoothByAngle.Degrees), Amount)),
        "soften" => new SoftenEdges(),
        "cut" => new CutEdges(FormNumber.Read<CutEdges>(nameof(CutEdges.GapPixels), Amount), sheetSize),
        "dropEmptyFaces" => new DropEmptyFaces(),
        "dropDoubledFaces" => new DropDoubledFaces(),
        "dropFarFaces" => new DropFarFaces(),
        "joinByMaterial" => new JoinByMaterial(),
        "turnFaces" => new TurnFaces(),
        "mergeMaterials" => new MergeMaterials(Word("the material")),
        _ => throw new FormatException("Choose what to do."),
    };

    private IntakeMend? TextureMend() => What switch
    {
        "kind" => new SetKind(Kind),
        "resize" => new ResizeTexture(Width, Height),
        "heightToNormal" => new MakeNormals(FormNumber.Read<MakeNormals>(nameof(MakeNormals.Strength), Amount), Kernel, Wrap),
        "unitLength" => new UnitLength(),
        "dropAlpha" => new DropAlpha(),
        _ => null,
    };

    private IReadOnlyList<Mend> OnTextures(IntakeMend mend) =>
        Textures.Count > 0 ? [.. Textures.Select(t => mend with { File = t })] : throw new FormatException("Tick the textures it is for.");

    private MoveOrigin Origin()
    {
        if (Place != OriginPlace.Point)
            return new MoveOrigin(Place);
        double[] at = [.. (Point ?? "").Split([' ', ',', ';'], StringSplitOptions.RemoveEmptyEntries)
            .Select(p => FormNumber.Read<MoveOrigin>(nameof(MoveOrigin.X), p))];
        return at.Length == 3 ? new MoveOrigin(Place) { X = at[0], Y = at[1], Z = at[2] }
            : throw new FormatException("Type the point as three numbers in metres, such as 0 0.5 0.");
    }

    private string Word(string what) => string.IsNullOrWhiteSpace(Text) ? throw new FormatException($"Type {what}.") : Text.Trim();
}

/// <summary>What can be mended by hand, by its word and as the form says it.</summary>
public static class HandMendWords
{
    /// <summary>Mends of objects.</summary>
    public static IReadOnlyList<(string Key, string Name)> Objects { get; } =
    [
        ("rename", "rename"), ("renameByPattern", "rename by pattern"), ("stripPrefix", "strip a prefix"), ("numberNames", "number equal names"),
            ("cleanNames", "clean names"), ("side", "say the side"),
        ("units", "units"), ("upright", "Z up to Y up"), ("origin", "move the origin"), ("transform", "apply transforms"),
        ("weld", "weld points"), ("smooth", "smooth by angle"), ("soften", "soften edges"), ("cut", "cut UVs at edges"),
        ("turnFaces", "turn faces outward"), ("dropEmptyFaces", "drop empty faces"), ("dropDoubledFaces", "drop doubled faces"),
            ("dropFarFaces", "drop faces far away"), ("joinByMaterial", "join by material"), ("mergeMaterials", "one low material"),
    ];

    /// <summary>Mends of textures.</summary>
    public static IReadOnlyList<(string Key, string Name)> Textures { get; } =
        [("kind", "say what it is"), ("resize", "resize"), ("heightToNormal", "height to normals"), ("unitLength", "unit length"), ("dropAlpha", "drop alpha")];
}
