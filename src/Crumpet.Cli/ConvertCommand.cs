using System.CommandLine;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet convert</c>: compresses a picture into a texture.</summary>
internal static class ConvertCommand
{
    public static Command Make()
    {
        var input = new Argument<FileInfo>("in") { Description = "PNG, JPEG, TIFF or WebP." };
        var format = new Option<string>(
            "--format")
        { Required = true, Description = $"{string.Join("; ", TextureFormat.Table.All.Select(f => $"{f.Word}: {f.Holds}"))}." };
        var container = new Option<string>("--container") { DefaultValueFactory = _ => "dds", Description = "dds." };
        var colour = new Option<string>("--colour") { Required = true, Description = "What the numbers mean: srgb, linear or normal." };
        var noMips = new Option<bool>("--no-mips") { Description = "Only the full size." };
        var target = new Option<FileInfo>("--out") { Required = true, Description = "File to write." };
        var command = new Command("convert", "Compress a picture with its mip chain.") { input, format, container, colour, noMips, target };
        command.SetAction((parsed, cancel) =>
        {
            if (parsed.GetValue(container) != "dds")
                throw new UsageException($"--container is '{parsed.GetValue(container)}'; it must be dds.");
            var settings = new ConvertSettings(FormatOf(parsed.GetRequiredValue(format)), Word<ColourMeaning>("--colour", parsed.GetRequiredValue(colour)),
                !parsed.GetValue(noMips));
            var made = parsed.GetRequiredValue(target);
            if (!made.Extension.Equals(".dds", StringComparison.OrdinalIgnoreCase))
                throw new UsageException($"--out is {made.Name}; what is written is DDS, so let its name end in .dds.");
            var file = parsed.GetRequiredValue(input);
            var bitmap = ImageFile.Read(Output.ReadFile(file), file.Name);
            var texture = TextureConverter.Convert(bitmap, settings, Environment.ProcessorCount, new ConsoleProgress(), cancel);
            byte[] bytes = DdsFile.Write(texture);
            AtomicFile.Write(made.FullName, bytes);
            var quality = TextureConverter.Measure(bitmap, texture, settings.Meaning, cancel);
            string psnr = quality.Psnr is { } db ? FormattableString.Invariant($"{db:0.00} dB") : "exact";
            var report = new
            {
                file = made.FullName,
                texture.Width,
                texture.Height,
                texture.Format,
                texture.Srgb,
                mips = texture.Levels.Count,
                bytes = bytes.Length,
                quality,
                findings = ConvertFindings.Cut(bitmap, settings.Format, file.Name).ToArray(),
            };
            int code = Output.Print(parsed, report,
                [$"{report.file}  {texture.Width} × {texture.Height} px  {texture.Format.Label}  {texture.Levels.Count} mips  {bytes.Length} bytes  {psnr}"],
                report.findings);
            return Task.FromResult(code);
        });
        return command;
    }

    private static TextureFormat FormatOf(string word) => TextureFormat.Table.Find(word)
        ?? throw new UsageException($"--format is '{word}'; it must be one of {string.Join(", ", TextureFormat.Table.All.Select(f => f.Word))}.");

    private static T Word<T>(string option, string word)
        where T : struct, Enum
    {
        if (word.All(char.IsAsciiLetterOrDigit) && !char.IsAsciiDigit(word.FirstOrDefault()) && Enum.TryParse<T>(word, ignoreCase: true, out var value))
            return value;
        throw new UsageException($"{option} is '{word}'; it must be one of {string.Join(", ", Enum.GetNames<T>()).ToLowerInvariant()}.");
    }
}
