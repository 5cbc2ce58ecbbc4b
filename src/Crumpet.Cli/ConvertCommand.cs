using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet convert</c>: compresses pictures into textures.</summary>
internal static class ConvertCommand
{
    private static readonly Argument<FileInfo[]> Inputs = new("in")
    {
        Description = "PNG, JPEG, TIFF, WebP, TGA, EXR or HDR; several make a folder of textures.",
        Arity = ArgumentArity.OneOrMore,
    };

    private static readonly Option<string?> Format = new("--format")
    {
        Description = $"{string.Join("; ", TextureFormat.Table.All.Select(f => $"{f.Word}: {f.Holds}"))}. Without it what suits the picture.",
    };

    private static readonly Option<double?> Budget = new("--budget")
    {
        Description = "Memory all textures may take together, MiB: formats and sizes are chosen that meet it with the least weighted error.",
    };

    private static readonly Option<string> Level = new("--level")
    {
        DefaultValueFactory = _ => "normal",
        Description = "How long encoders search: draft, normal or best.",
    };

    private static readonly Option<string?> Container = new("--container")
    {
        Description = $"{string.Join("; ", TextureContainer.Table.All.Select(c => $"{c.Word}: {c.Is}"))}. Without it what the name of --out says.",
    };

    private static readonly Option<string> Colour = new("--colour") { Required = true, Description = "What the numbers mean: srgb, linear or normal." };

    private static readonly Option<string> Mips = new("--mips")
    {
        DefaultValueFactory = _ => "kaiser",
        Description = "How smaller levels are filtered: none, box, kaiser or sharp.",
    };

    private static readonly Option<int?> Size = new("--size") { Description = "Largest side in px; larger pictures are filtered down." };

    private static readonly Option<string> Sides = new("--sides")
    {
        DefaultValueFactory = _ => "any",
        Description = "Sides a texture may have: any; down or up: powers of two, filtered down or up to them.",
    };

    private static readonly Option<bool> Wraps = new("--wrap") { Description = "The picture goes on at its other side." };

    private static readonly Option<FileInfo?> Normals = new("--normals") { Description = "Normal map whose spread the roughness of smaller levels takes up." };

    private static readonly Option<bool> Softness = new("--softness")
    { Description = "Measure every level too: how well it is stored, and how much of the picture's detail it keeps when it is drawn large." };

    private static readonly Option<FileInfo> Target = new("--out") { Required = true, Description = "File to write; of several pictures, the folder." };

    public static Command Make()
    {
        var command = new Command("convert", "Compress pictures with their mip chains.")
        {
            Inputs, Format, Budget, Level, Container, Colour, Mips, Size, Sides, Wraps, Normals, Softness, Target,
        };
        command.SetAction((parsed, cancel) => Task.FromResult(Run(parsed, cancel)));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken cancel)
    {
        var target = parsed.GetRequiredValue(Target);
        var inputs = parsed.GetRequiredValue(Inputs);
        var container = ContainerFor(parsed.GetValue(Container), target, inputs.Length > 1);
        var settings = new ConvertSettings(TextureFormat.Rgba8, Word<ColourMeaning>("--colour", parsed.GetRequiredValue(Colour)),
            Word<MipFilter>("--mips", parsed.GetRequiredValue(Mips)))
        {
            Effort = Word<Effort>("--level", parsed.GetRequiredValue(Level)),
            File = TextureFile.Of(container),
            Size = parsed.GetValue(Size) is { } size ? Output.Within("--size", size, 1, Texture.LargestSide) : null,
            Sides = parsed.GetRequiredValue(Sides) switch
            {
                "any" => SideRule.Any,
                "down" => SideRule.PowersDown,
                "up" => SideRule.PowersUp,
                var odd => throw new UsageException($"--sides is '{odd}'; it must be one of any, down, up."),
            },
            Wraps = parsed.GetValue(Wraps),
        };
        var format = parsed.GetValue(Format) is { } word ? Entry("--format", word, TextureFormat.Table) : null;
        var budget = parsed.GetValue(Budget);
        if (format is not null && budget is not null)
            throw new UsageException("--format and --budget were both given; with a budget formats are chosen.");
        if (format is not null && !container.Holds(format))
            throw new UsageException($"--container is {container.Word}, which cannot hold {format.Label}; use ktx2.");
        var how = format is not null ? [.. inputs.Select(_ => settings with { Format = format })] : Chosen(inputs, settings, budget, cancel);
        var normals = parsed.GetValue(Normals) is { } file ? ImageFile.Read(Output.ReadFile(file), file.Name) : null;
        var names = inputs.Select(i => inputs.Length == 1 ? target.FullName
            : Path.Combine(target.FullName, Path.GetFileNameWithoutExtension(i.Name) + container.Ending)).ToArray();
        if (names.Distinct(StringComparer.Ordinal).Count() < names.Length)
            throw new UsageException("Two of the pictures have the same name but for their folder or ending; convert them one by one.");
        var made = inputs.Select((input, i) => Convert(input, names[i], how[i], normals, parsed.GetValue(Softness), cancel)).ToArray();
        Finding[] findings = [.. made.SelectMany(m => m.Findings)];
        var lines = made.Select(m => $"{m.File}  {m.Width} × {m.Height} px  {m.Format.Label}{(m.Srgb ? " sRGB" : "")}  {m.Mips} mips  {m.Bytes} bytes  "
            + (m.Quality.Psnr is { } db ? FormattableString.Invariant($"{db:0.00} dB") : "exact")
            + (m.Quality.MeanAngleDegrees is { } angle
                ? FormattableString.Invariant($"  {angle:0.000}° mean, {m.Quality.WorstAngleDegrees:0.00}° worst") : "")
            + FormattableString.Invariant($"  {m.EncodeSeconds:0.000} s, {m.MegapixelsPerSecond:0.0} Mpx/s"))
            .Concat(made.Where(m => m.Levels is not null).SelectMany(m => m.Levels!.Select(l => $"  mip {l.Level}  {l.Width} × {l.Height} px  stored "
                + $"{Loss(l.Stored.Psnr, l.Stored.MeanAngleDegrees)}  drawn large {Loss(l.SoftPsnr, l.SoftAngle)}  keeps "
                + l.Kept.ToString("0.0 %", CultureInfo.InvariantCulture))
                .Append(LevelQuality.Said(m.Levels!))));
        return made.Length == 1 ? Output.Print(parsed, made[0], lines, findings) : Output.Print(parsed, new { Files = made, findings }, lines, findings);
    }

    private static string Loss(double? decibels, double? degrees) => degrees is { } angle ? FormattableString.Invariant($"{angle:0.00}°")
        : decibels is { } db ? FormattableString.Invariant($"{db:0.0} dB") : "exact";

    // Formats, and with a budget sizes, that suit what the pictures hold.
    private static ConvertSettings[] Chosen(FileInfo[] inputs, ConvertSettings settings, double? budget, CancellationToken cancel)
    {
        if (budget is not null and not (>= TextureBudget.LeastMebibytes and <= TextureBudget.MostMebibytes))
            throw new UsageException(FormattableString.Invariant($"--budget is {budget}. {TextureBudget.Bounds}"));
        var measured = inputs.Select(input =>
        {
            var picture = ImageFile.Read(Output.ReadFile(input), input.Name);
            var report = TextureChoices.Measure(picture, settings.Meaning, picture.Channels, cancel, settings.Sides);
            return (Report: report, Texels: (long)picture.Width * picture.Height);
        }).ToArray();
        if (budget is null)
            return [.. measured.Select(m => settings with { Format = m.Report.Proposed.Format })];
        var plan = MemoryBudget.Meet([.. measured.Select(m => new BudgetTexture(m.Report.Choices, BudgetTexture.WeightOf(settings.Meaning, m.Texels)))],
            (long)(budget.Value * TextureBudget.Mebibyte));
        if (plan is null)
        {
            double least = measured.Sum(m => m.Report.Choices.Min(c => c.Bytes)) / TextureBudget.Mebibyte;
            throw new UsageException(FormattableString.Invariant(
                $"--budget {budget} MiB cannot be met: the textures take at least {least:0.#####} MiB at a quarter of their size."));
        }
        return [.. plan.Chosen.Zip(measured, (choice, m) => settings with
        {
            Format = choice.Format,
            Size = TextureChoices.HeldTo(m.Report.Side, choice.Divisor) ?? settings.Size,
        })];
    }

    private static Converted Convert(FileInfo input, string target, ConvertSettings settings, Bitmap? normals, bool softness, CancellationToken cancel)
    {
        var bitmap = ImageFile.Read(Output.ReadFile(input), input.Name);
        var watch = new Stopwatch();
        var done = TextureConverter.Work(bitmap, settings, Environment.ProcessorCount, new ConsoleProgress(), normals, begins =>
        {
            if (begins)
                watch.Start();
            else
                watch.Stop();
        }, cancel);
        byte[] bytes = settings.File.Container!.Write(done.Texture);
        Directory.CreateDirectory(Path.GetDirectoryName(target)!);
        AtomicFile.Write(target, bytes);
        var texture = done.Texture;
        var quality = TextureQuality.Measure(done.Source, texture, settings.Meaning, cancel);
        int threads = Environment.ProcessorCount;
        var levels = !softness ? null : LevelQuality.Measure(
            new TextureSight(done.Source, texture, settings.Meaning, settings.Mips, settings.Wraps, threads, cancel), threads, cancel);
        Finding[] findings = [.. ConvertFindings.Cut(bitmap, settings.Format, input.Name), .. ConvertFindings.Resized(bitmap, texture, input.Name)];
        return new Converted(target, texture.Width, texture.Height, settings.Format, settings.File.Container!, texture.Srgb, texture.Levels.Count, bytes.Length,
            texture.Bytes,
            settings.Effort, quality, watch.Elapsed.TotalSeconds, done.Texels / Math.Max(watch.Elapsed.TotalSeconds, 1e-9) / 1e6, levels, findings);
    }

    private static TextureContainer ContainerFor(string? word, FileInfo target, bool isFolder)
    {
        var said = word is null ? null : Entry("--container", word, TextureContainer.Table);
        if (isFolder)
            return said ?? TextureContainer.Dds;
        var named = TextureContainer.Table.All.FirstOrDefault(c => c.Ending.Equals(target.Extension, StringComparison.OrdinalIgnoreCase));
        if (said is null)
            return named ?? throw new UsageException($"--out is {target.Name}; let its name end in .dds or .ktx2.");
        return said.Ending.Equals(target.Extension, StringComparison.OrdinalIgnoreCase) ? said
            : throw new UsageException($"--out is {target.Name}; what is written is {said.Label}, so let its name end in {said.Ending}.");
    }

    private static T Entry<T>(string option, string word, Table<T> table)
        where T : class, IEntry<T> => table.Find(word)
        ?? throw new UsageException($"{option} is '{word}'; it must be one of {string.Join(", ", table.All.Select(f => f.Word))}.");

    private static T Word<T>(string option, string word)
        where T : struct, Enum
    {
        if (word.All(char.IsAsciiLetterOrDigit) && !char.IsAsciiDigit(word.FirstOrDefault()) && Enum.TryParse<T>(word, ignoreCase: true, out var value))
            return value;
        throw new UsageException($"{option} is '{word}'; it must be one of {string.Join(", ", Enum.GetNames<T>()).ToLowerInvariant()}.");
    }

    /// <summary>What is told of a texture.</summary>
    private sealed record Converted(string File, int Width, int Height, TextureFormat Format, TextureContainer Container, bool Srgb, int Mips, long Bytes,
        long Memory,
        Effort Level, TextureQuality Quality, double EncodeSeconds, double MegapixelsPerSecond, IReadOnlyList<LevelQuality>? Levels,
        IReadOnlyList<Finding> Findings);
}
