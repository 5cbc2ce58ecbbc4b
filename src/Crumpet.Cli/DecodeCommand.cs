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
        var side = new Option<int?>("--side") { Description = "Side of a cube: 0 to 5 for +X, −X, +Y, −Y, +Z, −Z; without it all six, unfolded." };
        var target = new Option<FileInfo>("--out") { Required = true, Description = "PNG to write; EXR for values outside 0 to 1." };
        var command = new Command("decode", "Decode a level of a texture into a picture.") { input, mip, side, target };
        command.SetAction(parsed =>
        {
            var file = parsed.GetRequiredValue(input);
            var texture = TextureContainer.Read(Output.ReadFile(file), file.Name);
            int level = parsed.GetValue(mip);
            if (level < 0 || level >= texture.Levels.Count)
                throw new UsageException($"--mip is {level}; {file.Name} has levels 0 to {texture.Levels.Count - 1}.");
            if (parsed.GetValue(side) is { } number && (number < 0 || number >= texture.Sides))
                throw new UsageException($"--side is {number}; {file.Name} has {(texture.Sides == 1 ? "one, 0" : "sides 0 to 5")}.");
            var made = parsed.GetRequiredValue(target);
            int[] sides = texture.Sides == 1 ? [0] : parsed.GetValue(side) is { } one ? [one] : [.. Enumerable.Range(0, texture.Sides)];
            var (bytes, width, height) = made.Extension.Equals(".exr", StringComparison.OrdinalIgnoreCase)
                ? Made(Decoded(BlockCodec.DecodeValues), numbers => ExrWriter.Write(numbers))
                : Made(Decoded(BlockCodec.Decode), rgba => ImageFile.WritePng(Keep(rgba, texture.Format.PictureChannels)));
            AtomicFile.Write(made.FullName, bytes);
            var report = new { file = made.FullName, width, height, texture.Format, texture.Srgb, mip = level };
            string unfolded = sides.Length > 1 ? ", six sides unfolded" : "";
            return Output.Print(parsed, report, [$"{report.file}  {width} × {height} px  {texture.Format.Label} mip {level}{unfolded}"], []);

            T Decoded<T>(Func<ReadOnlyMemory<byte>, int, int, TextureFormat, T> decode)
                where T : Bitmap
            {
                var (across, down) = texture.LevelSize(level);
                T[] all = [.. sides.Select(s => decode(texture.Level(level, s), across, down, texture.Format))];
                return all.Length == 1 ? all[0] : (T)CubeNet.Unfold(all);
            }

            static (byte[] Bytes, int Width, int Height) Made<T>(T picture, Func<T, byte[]> write)
                where T : Bitmap => (write(picture), picture.Width, picture.Height);
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
