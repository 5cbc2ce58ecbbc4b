using System.CommandLine;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Cli;

/// <summary><c>crumpet decode</c>: turns a level of a texture back into a picture.</summary>
internal static class DecodeCommand
{
    public static Command Make()
    {
        var input = new Argument<FileInfo>("file") { Description = "DDS file." };
        var mip = new Option<int>("--mip") { Description = "Level; 0 is the largest." };
        var target = new Option<FileInfo>("--out") { Required = true, Description = "PNG to write." };
        var command = new Command("decode", "Decode a level of a texture into a PNG.") { input, mip, target };
        command.SetAction(parsed =>
        {
            var file = parsed.GetRequiredValue(input);
            var texture = DdsFile.Read(Output.ReadFile(file), file.Name);
            int level = parsed.GetValue(mip);
            if (level < 0 || level >= texture.Levels.Count)
                throw new UsageException($"--mip is {level}; {file.Name} has levels 0 to {texture.Levels.Count - 1}.");
            var (width, height) = texture.LevelSize(level);
            var rgba = BlockCodec.Decode(texture.Levels[level], width, height, texture.Format);
            var bitmap = Keep(rgba, texture.Format.PictureChannels);
            AtomicFile.Write(parsed.GetRequiredValue(target).FullName, ImageFile.WritePng(bitmap));
            var report = new { file = parsed.GetRequiredValue(target).FullName, width, height, texture.Format, texture.Srgb, mip = level };
            return Output.Print(parsed, report, [$"{report.file}  {width} × {height} px  {texture.Format.Label} mip {level}"], []);
        });
        return command;
    }

    private static Bitmap8 Keep(Bitmap8 rgba, int channels)
    {
        if (channels == 4)
            return rgba;
        var result = new Bitmap8(rgba.Width, rgba.Height, channels);
        for (int i = 0; i < rgba.Width * rgba.Height; i++)
            rgba.Pixels.AsSpan(4 * i, channels).CopyTo(result.Pixels.AsSpan(channels * i));
        return result;
    }
}
