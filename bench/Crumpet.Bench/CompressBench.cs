using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;

namespace Crumpet.Bench;

/// <summary>Block encoders on a folder of pictures, beside the yardsticks that are installed, in one run; prints a table in Markdown.</summary>
internal static partial class CompressBench
{
    private const int Times = 3;

    public static Command Make()
    {
        var pictures = new Argument<DirectoryInfo>("pictures") { Description = "Folder of PNG files." };
        var squish = new Option<FileInfo?>("--squish") { Description = "The program made of squish_bc.cpp." };
        var formats = new Option<string>("--formats") { DefaultValueFactory = _ => "bc1,bc4,bc7,etc2,astc4x4,astc6x6", Description = "Formats, with commas between." };
        var levels = new Option<string>("--levels") { DefaultValueFactory = _ => "draft,normal,best", Description = "Levels, with commas between." };
        var decode = new Option<bool>("--decode") { Description = "Time decoding instead: megapixels a second of each format." };
        var command = new Command("compress", "Encode pictures, decode them again, and set speed and dB beside astcenc's and libsquish's.")
        {
            pictures, squish, formats, levels, decode,
        };
        command.SetAction(given =>
        {
            var folder = given.GetRequiredValue(pictures);
            string[] words = given.GetValue(formats)!.Split(',');
            return given.GetValue(decode) ? Decode(folder, words) : Run(folder, given.GetValue(squish), words, given.GetValue(levels)!.Split(','));
        });
        return command;
    }

    private static int Run(DirectoryInfo folder, FileInfo? squish, string[] formats, string[] levels)
    {
        Console.WriteLine($"| picture | {string.Join(" | ", formats.SelectMany(f => levels.Select(l => $"{f} {l}")))} | {string.Join(" | ", Yardsticks(squish))} |");
        Console.WriteLine($"|---|{string.Concat(Enumerable.Repeat("---|", formats.Length * levels.Length + Yardsticks(squish).Length))}");
        foreach (var file in folder.GetFiles("*.png").OrderBy(f => f.Name, StringComparer.Ordinal))
        {
            var picture = TextureConverter.ToRgba(ImageFile.Read(File.ReadAllBytes(file.FullName), file.Name));
            var cells = formats.SelectMany(f => levels.Select(l => Ours(picture, TextureFormat.Table.Of(f), Enum.Parse<Effort>(l, ignoreCase: true))))
                .Concat(Theirs(file, picture, squish));
            Console.WriteLine($"| {Path.GetFileNameWithoutExtension(file.Name)} | {string.Join(" | ", cells)} |");
        }
        return 0;
    }

    /// <summary>Decoding, picture by picture; the copy of as many bytes beside it says what memory allows.</summary>
    private static int Decode(DirectoryInfo folder, string[] formats)
    {
        Console.WriteLine($"| picture | {string.Join(" | ", formats)} | copying |");
        Console.WriteLine($"|---|{string.Concat(Enumerable.Repeat("---|", formats.Length + 1))}");
        foreach (var file in folder.GetFiles("*.png").OrderBy(f => f.Name, StringComparer.Ordinal))
        {
            var picture = TextureConverter.ToRgba(ImageFile.Read(File.ReadAllBytes(file.FullName), file.Name));
            double texels = picture.Width * (double)picture.Height / 1e6;
            var speeds = formats.Select(TextureFormat.Table.Of).Select(format =>
            {
                byte[] blocks = BlockCodec.Encode(picture, format, threads: Environment.ProcessorCount);
                return Speed(() => BlockCodec.DecodeAny(blocks, picture.Width, picture.Height, format));
            }).Append(Speed(() => picture.Pixels.Clone()));
            string row = string.Join(" | ", speeds.Select(s => s.ToString("0", CultureInfo.InvariantCulture)));
            Console.WriteLine($"| {Path.GetFileNameWithoutExtension(file.Name)} | {row} |");

            double Speed(Action work)
            {
                double seconds = double.PositiveInfinity;
                var whole = Stopwatch.StartNew();
                // Long enough that what runs is what the compiler makes of it in the end.
                while (whole.Elapsed.TotalSeconds < 1)
                {
                    var watch = Stopwatch.StartNew();
                    work();
                    seconds = Math.Min(seconds, watch.Elapsed.TotalSeconds);
                }
                return texels / seconds;
            }
        }
        return 0;
    }

    private static string[] Yardsticks(FileInfo? squish) =>
        ["astcenc 4x4 -fast", "4x4 -medium", "6x6 -fast", "6x6 -medium", .. squish is null ? Array.Empty<string>() : ["libsquish bc1 iterative"]];

    private static string Ours(Bitmap8 picture, TextureFormat format, Effort effort)
    {
        var settings = new EncodeSettings(effort, System.Numerics.Vector4.One);
        byte[] blocks = [];
        double seconds = double.PositiveInfinity;
        for (int time = 0; time < (effort == Effort.Best ? 1 : Times); time++)
        {
            var watch = Stopwatch.StartNew();
            blocks = BlockCodec.Encode([picture], format, settings, Environment.ProcessorCount, null, default)[0];
            seconds = Math.Min(seconds, watch.Elapsed.TotalSeconds);
        }
        var texture = new Texture(picture.Width, picture.Height, format, false, [blocks]);
        return Cell(TextureQuality.Measure(picture, texture, ColourMeaning.Linear).Psnr, picture.Width * (double)picture.Height / seconds / 1e6);
    }

    private static IEnumerable<string> Theirs(FileInfo file, Bitmap8 picture, FileInfo? squish)
    {
        foreach (string block in (string[])["4x4", "6x6"])
        {
            foreach (string level in (string[])["-fast", "-medium"])
            {
                string decoded = Path.Combine(Path.GetTempPath(), $"crumpet-bench-{Environment.ProcessId}.png");
                string said = Output("astcenc", "-tl", file.FullName, decoded, block, level);
                var back = TextureConverter.ToRgba(ImageFile.Read(File.ReadAllBytes(decoded), decoded));
                File.Delete(decoded);
                double sum = 0;
                for (int i = 0; i < picture.Pixels.Length; i++)
                    sum += i % 4 == 3 ? 0 : Math.Pow(picture.Pixels[i] - back.Pixels[i], 2);
                double mean = sum / (picture.Pixels.Length / 4 * 3);
                yield return Cell(mean > 0 ? 10 * Math.Log10(255 * 255 / mean) : null,
                    double.Parse(Rate().Match(said).Groups[1].Value, CultureInfo.InvariantCulture));
            }
        }
        if (squish is null)
            yield break;
        string raw = Path.Combine(Path.GetTempPath(), $"crumpet-bench-{Environment.ProcessId}.rgba");
        File.WriteAllBytes(raw, picture.Pixels);
        using var json = JsonDocument.Parse(Output(squish.FullName, raw, $"{picture.Width}", $"{picture.Height}", "bc1", "iterative"));
        File.Delete(raw);
        yield return Cell(json.RootElement.GetProperty("psnr").GetDouble(), json.RootElement.GetProperty("megapixelsPerSecond").GetDouble());
    }

    private static string Cell(double? decibels, double speed) =>
        string.Create(CultureInfo.InvariantCulture, $"{(decibels is { } db ? $"{db:0.00} dB" : "exact")} {speed:0.0}");

    private static string Output(string program, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true })!;
        string said = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return said;
    }

    [GeneratedRegex(@"Coding rate:\s+([\d.]+)")]
    private static partial Regex Rate();
}
