using System.Globalization;
using Crumpet.Core;
using Crumpet.Storage;
using Microsoft.AspNetCore.Html;

namespace Crumpet.Web;

/// <summary>How numbers and states are written on pages.</summary>
public static class Show
{
    private const char ThinSpace = '\u2009';

    /// <summary>Endings a file dialog offers.</summary>
    public static string Accepted { get; } = string.Join(',', Core.Intake.MeshFiles.Endings) + ",.zip";

    /// <summary>Whether a script asks, which goes on by itself.</summary>
    public static bool WantsJson(HttpRequest request) => request.Headers.Accept.ToString().StartsWith("application/json", StringComparison.Ordinal);

    /// <summary>A whole number with thin spaces between thousands.</summary>
    public static string Count(long value) => value.ToString("#,0", CultureInfo.InvariantCulture).Replace(',', ThinSpace);

    /// <summary>A number in thousands where it has that many.</summary>
    public static string Thousands(long value) => value < 10_000 ? Count(value) : $"{Count((value + 500) / 1000)} k";

    /// <summary>A name that may break after what parts its words.</summary>
    public static IHtmlContent Name(string name) =>
        new HtmlString(System.Text.Encodings.Web.HtmlEncoder.Default.Encode(name).Replace("_", "_<wbr>", StringComparison.Ordinal));

    /// <summary>So many things, in the plural where there is not just one.</summary>
    /// <param name="count">How many.</param>
    /// <param name="thing">One of them; its plural ends in s.</param>
    public static string Many(long count, string thing) => $"{Count(count)} {thing}{(count == 1 ? "" : "s")}";

    /// <summary>Extents along x, y and z, to the millimetre or three digits.</summary>
    public static string Metres(float[] size) =>
        string.Join("\u200a×\u200a", size.Select(v => v.ToString(v >= 10 ? "0.0" : v >= 1 ? "0.00" : "0.000", CultureInfo.InvariantCulture)));

    /// <summary>A size in bytes, KiB, MiB or GiB.</summary>
    public static string Bytes(long bytes) => bytes < 1024 ? $"{bytes} B"
        : bytes < 1 << 20
        ? string.Create(CultureInfo.InvariantCulture, $"{bytes / 1024.0:0.0} KiB")
        : bytes < 1 << 30 ? string.Create(CultureInfo.InvariantCulture, $"{bytes / 1048576.0:0.0} MiB")
        : string.Create(CultureInfo.InvariantCulture, $"{bytes / 1073741824.0:0.0} GiB");

    /// <summary>Seconds, or minutes and seconds.</summary>
    public static string Seconds(double seconds) => seconds < 60
        ? string.Create(CultureInfo.InvariantCulture, $"{seconds:0.0} s")
        : string.Create(CultureInfo.InvariantCulture, $"{(int)seconds / 60} min {(int)seconds % 60} s");

    /// <summary>Decibels, or that nothing differs.</summary>
    public static string Decibels(double? decibels) => decibels is { } db ? string.Create(CultureInfo.InvariantCulture, $"{db:0.0} dB") : "exact";

    /// <summary>How far a way to store a texture is from its picture.</summary>
    public static string Loss(Core.Convert.TextureChoice choice) => choice.SquareAngleDegrees is { } angle
        ? string.Create(CultureInfo.InvariantCulture, $"{angle:0.00}° rms") : Decibels(choice.Psnr);

    /// <summary>Size of a texture beside its picture's.</summary>
    public static string SizeOf(int divisor) => divisor switch { 1 => "full size", 2 => "½ size", _ => "¼ size" };

    /// <summary>How long ago.</summary>
    public static string Ago(DateTime utc)
    {
        var span = DateTime.UtcNow - utc;
        return span.TotalSeconds < 60 ? "just now"
            : span.TotalMinutes < 60 ? $"{(int)span.TotalMinutes} min ago"
            : span.TotalHours < 24 ? $"{(int)span.TotalHours} h ago"
            : utc.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
    }

    /// <summary>A length in millimetres to two digits after the point, without its unit.</summary>
    public static string Fine(double metres) => (metres * 1000).ToString("0.00", CultureInfo.InvariantCulture);

    /// <summary>A share in percent, to a tenth below 100.</summary>
    public static string Percent(double share) =>
        share >= 0.99995 ? "100 %" : string.Create(CultureInfo.InvariantCulture, $"{Math.Min(share * 100, 99.9):0.0} %");

    /// <summary>A number as a form field takes it.</summary>
    public static string Field(double value) => value.ToString("0.###", CultureInfo.InvariantCulture);

    /// <summary>A number as a field shows it; nothing where there is none.</summary>
    public static string Field(double? value) => value is { } number ? Field(number) : "";

    /// <summary>A limit as a form's attribute takes it.</summary>
    public static string Limit(double value) => value.ToString("0.######", CultureInfo.InvariantCulture);

    /// <summary>The sign of a severity; its shape tells it without colour.</summary>
    public static IHtmlContent Sign(Severity severity) => new HtmlString(severity switch
    {
        Severity.Stop => "<svg class=\"sign sign-stop\" viewBox=\"0 0 12 12\" role=\"img\" aria-label=\"stop\"><rect width=\"12\" height=\"12\"/><rect "
            + "class=\"ink\" x=\"3\" y=\"5\" width=\"6\" height=\"2\"/></svg>",
        Severity.Warn => "<svg class=\"sign sign-warn\" viewBox=\"0 0 12 12\" role=\"img\" aria-label=\"warning\"><path d=\"M6 0.5 12 11.5H0Z\"/><rect "
            + "class=\"ink\" x=\"5.3\" y=\"4\" width=\"1.4\" height=\"4\"/><rect class=\"ink\" x=\"5.3\" y=\"9\" width=\"1.4\" height=\"1.4\"/></svg>",
        _ => "<svg class=\"sign sign-note\" viewBox=\"0 0 12 12\" role=\"img\" aria-label=\"note\"><circle cx=\"6\" cy=\"6\" r=\"6\"/><rect class=\"ink\" "
            + "x=\"5.3\" y=\"5\" width=\"1.4\" height=\"4.4\"/><rect class=\"ink\" x=\"5.3\" y=\"2.6\" width=\"1.4\" height=\"1.4\"/></svg>",
    });

    /// <summary>The sign of a run that ended: nothing where all went well.</summary>
    public static IHtmlContent Sign(RunState state) => state switch
    {
        RunState.Failed or RunState.Blocked => Sign(Severity.Stop),
        RunState.Cancelled => Sign(Severity.Warn),
        _ => HtmlString.Empty,
    };

    /// <summary>A small square of a colour.</summary>
    /// <param name="colour">As <c>#rrggbb</c>.</param>
    public static IHtmlContent Swatch(string colour) =>
        new HtmlString($"<svg class=\"swatch\" viewBox=\"0 0 10 10\" aria-hidden=\"true\"><rect width=\"10\" height=\"10\" "
        + $"fill=\"{System.Text.Encodings.Web.HtmlEncoder.Default.Encode(colour)}\"/></svg>");

    /// <inheritdoc cref="Swatch(string)"/>
    public static IHtmlContent Swatch((byte R, byte G, byte B) colour) => Swatch($"#{colour.R:x2}{colour.G:x2}{colour.B:x2}");

    /// <summary>A cause of faults in words.</summary>
    public static string Fault(Core.Bake.FaultKind kind) => kind switch
    {
        Core.Bake.FaultKind.Miss => "nothing hit",
        Core.Bake.FaultKind.BackFace => "back faces",
        Core.Bake.FaultKind.Neighbour => "another part",
        Core.Bake.FaultKind.ReachExhausted => "end of reach",
        Core.Bake.FaultKind.Overlap => "overlapping UVs",
        Core.Bake.FaultKind.Skew => "skewed detail",
        Core.Bake.FaultKind.HardEdge => "hard edge, no seam",
        Core.Bake.FaultKind.Coarse => "too few texels",
        _ => "nothing wrong",
    };

    /// <summary>The disc of a stop; its shape tells the state without colour.</summary>
    public static IHtmlContent Disc(StopState state) =>
        new HtmlString($"<svg class=\"disc disc-{state.ToString().ToLowerInvariant()}\" viewBox=\"-10 -10 20 20\" role=\"img\" aria-label=\"{Word(state)}\">"
        + (state switch
        {
            StopState.Fresh => "<circle r=\"8\"/>",
            StopState.Stale => "<path d=\"M0 0V-8A8 8 0 1 0 8 0Z\"/>",
            StopState.Blocked => "<circle class=\"ring\" r=\"6.6\"/><rect x=\"-6.6\" y=\"-1.5\" width=\"13.2\" height=\"3\"/>",
            StopState.Passed => "<circle class=\"plate\" r=\"9\"/><path class=\"tick\" d=\"M-6 0 -2 4.5 6 -4.5\"/>",
            StopState.Running => "<circle class=\"ring pale\" r=\"6.6\"/><path class=\"turn\" d=\"M0 0V-8A8 8 0 0 1 8 0Z\"/>",
            _ => "<circle class=\"ring\" r=\"6.6\"/>",
        }) + "</svg>");

    /// <summary>A small drawing for a button whose words are in its title.</summary>
    public static IHtmlContent Icon(string name) => new HtmlString("<svg class=\"icon\" viewBox=\"0 0 20 16\" aria-hidden=\"true\">" + (name switch
    {
        "one" => "<rect x=\"2\" y=\"2\" width=\"16\" height=\"12\" rx=\"1\"/>",
        "beside" => "<rect x=\"1.5\" y=\"3\" width=\"7.5\" height=\"10\" rx=\"1\"/><rect x=\"11\" y=\"3\" width=\"7.5\" height=\"10\" rx=\"1\"/>",
        "wipe" => "<rect x=\"2\" y=\"2\" width=\"16\" height=\"12\" rx=\"1\"/><path class=\"full\" d=\"M10 2h7a1 1 0 0 1 1 1v10a1 1 0 0 1-1 1h-7Z\"/><path "
            + "d=\"M10 0v16\"/>",
        "difference" => "<circle cx=\"7.5\" cy=\"8\" r=\"5\"/><circle cx=\"12.5\" cy=\"8\" r=\"5\"/>",
        "back" => "<path d=\"M8 3 3 7.5 8 12M3 7.5h8.5a4.5 4.5 0 0 1 4.5 4.5v2\"/>",
        "forth" => "<path d=\"m12 3 5 4.5-5 4.5M17 7.5H8.5A4.5 4.5 0 0 0 4 12v2\"/>",
        "light" => "<circle cx=\"10\" cy=\"8\" r=\"6\"/><path class=\"full\" d=\"M10 2a6 6 0 0 1 0 12Z\"/>",
        _ => throw new ArgumentOutOfRangeException(nameof(name), name, "There is no such drawing."),
    }) + "</svg>");

    /// <summary>A state in a word.</summary>
    public static string Word(StopState state) => state.ToString().ToLowerInvariant();
}
