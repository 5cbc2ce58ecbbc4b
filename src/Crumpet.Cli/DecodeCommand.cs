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
        var input = new Argument<FileInfo>("file") { Description = "DDS or KTX2 file." };
        var mip = new Option<int>("--mip") { Description = "Level; 0 is the largest." };
        var side = new Option<int>("--side") { Description = "Side of a cube: 0 to 5 for +X, −X, +Y, −Y, +Z, −Z." };
        var target = new Option<FileInfo>("--out") { Required = true, Description = "PNG to write; EXR for values outside 0 to 1." };
        var command = new Command("decode", "Decode a level of a texture into a picture.") { input, mip, side, target };
        command.SetAction(parsed =>
        {
            var file = parsed.GetRequiredValue(input);
            var texture = TextureContainer.Read(Output.ReadFile(file), file.Name);
            int level = parsed.GetValue(mip);
            if (level < 0 || level >= texture.Levels.Count)
                throw new UsageException($"--mip is {level}; {file.Name} has levels 0 to {texture.Levels.Count - 1}.");
            if (parsed.GetValue(side) is var number && (number < 0 || number >= texture.Sides))
                throw new UsageException($"--side is {number}; {file.Name} has {(texture.Sides == 1 ? "one, 0" : "sides 0 to 5")}.");
            var (width, height) = texture.LevelSize(level);
            var made = parsed.GetRequiredValue(target);
            byte[] bytes = made.Extension.Equals(".exr", StringComparison.OrdinalIgnoreCase)
                ? ExrWriter.Write(BlockCodec.DecodeValues(texture.Level(level, number), width, height, texture.Format))
                : ImageFile.WritePng(Keep(BlockCodec.Decode(texture.Level(level, number), width, height, texture.Format), texture.Format.PictureChannels));
            AtomicFile.Write(made.FullName, bytes);
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
