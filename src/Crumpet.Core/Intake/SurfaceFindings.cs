namespace Crumpet.Core.Intake;

/// <summary>What is wrong with faces, edges and normals.</summary>
internal static class SurfaceFindings
{
    private const double SmoothAngle = 40;

    // A proposed gap, in pixels of a sheet of this size.
    private const double Gap = 8;
    private const int GapSize = 2048;

    public static IEnumerable<Finding> Of(IntakeLook look) => [.. Faces(look), .. Edges(look), .. Normals(look)];

    private static IEnumerable<Finding> Faces(IntakeLook look) =>
    [
        .. look.Flawed(Severity.Warn, "faces-without-area", look.Used, FlawKind.Empty,
            (n, names) => $"{Many(n, "triangle")} of {names} {(n == 1 ? "has" : "have")} no area; {(n == 1 ? "it gives" : "they give")} no normal and can "
                + $"break tangents, so take {(n == 1 ? "it" : "them")} out.",
            objects => [new("Take out faces without area", true, new DropEmptyFaces { Objects = objects })]),
        .. look.Flawed(Severity.Warn, "doubled-faces", look.Used, FlawKind.Doubled,
            (n, names) => $"{Many(n, "triangle")} of {names} {(n == 1 ? "lies" : "lie")} exactly on another one and will flicker; take "
                + $"{(n == 1 ? "it" : "them")} out unless both sides are meant.",
            objects => [new("Take out doubled faces", false, new DropDoubledFaces { Objects = objects })]),
        .. look.Flawed(Severity.Warn, "faces-inside-out", look.Used, FlawKind.InsideOut,
            (n, names) => $"{Many(n, "triangle")} of {names} {(n == 1 ? "faces" : "face")} inwards, so rays meet {(n == 1 ? "its back" : "their backs")}; "
                + $"turn {(n == 1 ? "it" : "them")} outward.",
            objects => [new("Turn faces outward", true, new TurnFaces { Objects = objects })]),
        .. look.Flawed(Severity.Warn, "faces-against-normals", look.Used.Where(i => look.Count(i, FlawKind.InsideOut) == 0), FlawKind.AgainstNormals,
            (n, names) => $"{Many(n, "triangle")} of {names} {(n == 1 ? "has" : "have")} normals that point to the back; turn the faces or their normals.",
            objects => [new("Turn faces outward", true, new TurnFaces { Objects = objects })]),
        .. look.Flawed(Severity.Warn, "mixed-winding", look.Used, FlawKind.Mixed,
            (n, names) => $"Along {Many(n, "edge")} of {names} the two faces disagree about which side is out; turn the wrong ones.",
            objects => [new("Turn faces outward", true, new TurnFaces { Objects = objects })]),
        .. look.Flawed(Severity.Note, "concave-polygons", look.Of(Side.Low), FlawKind.Concave,
            (n, names) => $"{Many(n, "polygon")} of {names} {(n == 1 ? "is" : "are")} concave; programs cut {(n == 1 ? "it" : "them")} into triangles "
                + $"differently, so cut {(n == 1 ? "it" : "them")} before export."),
        .. look.Flawed(Severity.Note, "warped-polygons", look.Of(Side.Low), FlawKind.Warped,
            (n, names) => $"{Many(n, "polygon")} of {names} {(n == 1 ? "is" : "are")} not planar; which diagonal folds is up to each program, so cut "
                + $"{(n == 1 ? "it" : "them")} into triangles before export."),
    ];

    private static IEnumerable<Finding> Edges(IntakeLook look) =>
    [
        .. look.Flawed(Severity.Warn, "unwelded", look.Used, FlawKind.Unwelded,
            (n, names) => $"{Many(n, "point")} on open edges of {names} {(n == 1 ? "lies" : "lie")} within a hair of another one without being joined to it, "
                + $"so shading breaks there; weld {(n == 1 ? "it" : "them")}.",
            objects => [new($"Weld within {Lengths.Millimetres(Tolerance(look, objects))}", true,
                new WeldPoints(Tolerance(look, objects)) { Objects = objects })]),
        .. look.Flawed(Severity.Warn, "non-manifold", look.Used, FlawKind.Crowded,
            (n, names) => $"{Many(n, "edge")} of {names} {(n == 1 ? "has" : "have")} more than two faces, where no side is out; part the faces there."),
        .. look.Flawed(Severity.Note, "holes", look.Of(Side.High), FlawKind.Borders,
            (n, names) => $"{Many(n, "edge")} of {names} {(n == 1 ? "is" : "are")} open, and rays that pass through the hole find nothing; close it unless "
                + $"it is out of sight."),
        .. look.Flawed(Severity.Warn, "hard-edge-without-seam", look.Of(Side.Low), FlawKind.HardWithoutSeam,
            (n, names) => $"{Many(n, "edge")} of {names} {(n == 1 ? "is" : "are")} hard where UVs run on, so both sides share texels that need different "
                + $"normals, which shows as a line; soften or cut {(n == 1 ? "it" : "them")}.",
            objects => [new("Soften", false, new SoftenEdges { Objects = objects }), new("Cut", false, new CutEdges(Gap, GapSize) { Objects = objects })]),
    ];

    private static IEnumerable<Finding> Normals(IntakeLook look) =>
    [
        .. look.Such(Severity.Warn, "no-normals", look.Used.Where(i => look.Rows[i] is { HasNormals: false, Side: Side.High or Side.Unknown }),
            (n, names) => $"{names} {(n == 1 ? "has" : "have")} no normals, and without them every edge counts as smooth; let edges sharper than "
                + $"{SmoothAngle}° break.", Smooth),
        .. look.Such(Severity.Warn, "no-normals", look.Used.Where(i => look.Rows[i] is { HasNormals: false, Side: Side.Low }),
            (n, names) => $"{names} {(n == 1 ? "has" : "have")} no normals, and without them every edge counts as smooth; let edges sharper than "
                + $"{SmoothAngle}° break where UVs are cut.",
            objects => [new($"Smooth up to {SmoothAngle}°, hard at seams", true, new SmoothByAngle(SmoothAngle) { AtSeams = true, Objects = objects })]),
        .. look.Such(Severity.Warn, "high-facetted", look.Of(Side.High).Where(i => look.Facts.Objects[i].IsFacetted),
            (n, names) => $"{names} {(n == 1 ? "is" : "are")} flat shaded although the surface bends gently, so facets would be baked in; smooth up to "
                + $"{SmoothAngle}°.", Smooth),
    ];

    private static IReadOnlyList<MendOffer> Smooth(IReadOnlyList<string> objects) =>
        [new($"Smooth up to {SmoothAngle}°", true, new SmoothByAngle(SmoothAngle) { Objects = objects })];

    private static double Tolerance(IntakeLook look, IReadOnlyList<string> objects) =>
        Math.Round(look.Rows.Where(r => objects.Count == 0 || objects.Contains(r.SourceName)).Max(r => IntakeMeasure.WeldTolerance(r.Bounds())), 7);

    internal static string Many(int count, string thing) =>
        $"{count.ToString("#,0", System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u2009')} {thing}{(count == 1 ? "" : "s")}";
}
