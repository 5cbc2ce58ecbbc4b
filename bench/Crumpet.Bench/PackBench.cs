using System.CommandLine;
using System.Diagnostics;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Bench;

/// <summary>Packing beside the least it could take: reading and writing the same bytes once in memory, and writing the same PNGs.</summary>
internal static class PackBench
{
    private const int Times = 3;

    public static Command Make()
    {
        var side = new Option<int>("--size") { Description = "Side of the sheet, pixels.", DefaultValueFactory = _ => 4096 };
        var many = new Option<int>("--many") { Description = "Sheets of 256 px that are packed one by one as well.", DefaultValueFactory = _ => 500 };
        var command = new Command("pack", "Pack eight maps into three outputs of four channels, and set it beside copying and writing.") { side, many };
        command.SetAction(given => Run(Bench.Within("--size", given.GetValue(side), 16, 8192), Bench.Within("--many", given.GetValue(many), 0, 100_000)));
        return command;
    }

    private static int Run(int size, int many)
    {
        var large = Measure(size, 1);
        var small = many > 0 ? Measure(256, many) : null;
        return Bench.Print(new { large, small });
    }

    private static object Measure(int size, int count)
    {
        int threads = Environment.ProcessorCount;
        var maps = Maps(size);
        var sources = PackSources.Of(maps);
        RecipeOutput[] outputs = Outputs();
        Bitmap8[] packed = [];
        double packSeconds = double.PositiveInfinity, copySeconds = double.PositiveInfinity, pngSeconds = double.PositiveInfinity;
        long allocated = 0;
        for (int time = 0; time < Times; time++)
        {
            long before = GC.GetTotalAllocatedBytes(true);
            packSeconds = Math.Min(packSeconds, Seconds(() =>
            {
                for (int i = 0; i < count; i++)
                    packed = [.. outputs.Select(o => (Bitmap8)ChannelPacker.Pack(o, sources, size, size, threads).Picture)];
            }));
            allocated = (GC.GetTotalAllocatedBytes(true) - before) / count;
            byte[][] from = [.. maps.Values.Select(m => ((Bitmap8)m.Picture).Pixels)], to = [.. packed.Select(p => new byte[p.Pixels.Length])];
            byte[] aside = new byte[from.Max(f => f.Length)];
            copySeconds = Math.Min(copySeconds, Seconds(() =>
            {
                for (int i = 0; i < count; i++)
                {
                    // Each map is read once, each output written once.
                    foreach (byte[] map in from)
                        map.CopyTo(aside, 0);
                    for (int o = 0; o < to.Length; o++)
                        packed[o].Pixels.CopyTo(to[o], 0);
                }
            }));
            pngSeconds = Math.Min(pngSeconds, Seconds(() =>
            {
                for (int i = 0; i < count; i++)
                    Parallel.ForEach(packed, new ParallelOptions { MaxDegreeOfParallelism = threads }, p => ImageFile.WritePng(p));
            }));
        }
        return new
        {
            size,
            count,
            packSeconds,
            copySeconds,
            pngSeconds,
            ratio = (packSeconds + pngSeconds) / (copySeconds + pngSeconds),
            packOverCopy = packSeconds / copySeconds,
            allocatedOverLargest = allocated / (double)packed.Max(p => p.Pixels.Length),
        };
    }

    private static double Seconds(Action work)
    {
        var watch = Stopwatch.StartNew();
        work();
        return watch.Elapsed.TotalSeconds;
    }

    private static Dictionary<string, PackSource> Maps(int size)
    {
        string[] names = ["ao", "roughness", "metalness", "curvature", "cavity", "thickness", "colour", "normal"];
        return names.ToDictionary(n => n, n =>
        {
            var picture = new Bitmap8(size, size, n is "colour" or "normal" ? 3 : 1);
            // Smooth with a little noise, as maps are.
            for (int i = 0; i < picture.Pixels.Length; i++)
                picture.Pixels[i] = (byte)(128 + 90 * MathF.Sin(i * 0.0007f + n.Length) + (Hash.Mix((uint)i) >> 29));
            return new PackSource(picture, OutputJob.MeaningOf(n));
        });
    }

    private static RecipeOutput[] Outputs() =>
    [
        new("colour_opacity", ColourMeaning.Srgb,
            [Feed.Of("colour"), Feed.Of("colour", FeedChannel.G), Feed.Of("colour", FeedChannel.B), Feed.Of("thickness")]),
        new("normal_roughness", ColourMeaning.Normal,
            [Feed.Of("normal"), Feed.Of("normal", FeedChannel.G), Feed.Of("normal", FeedChannel.B), Feed.Of("roughness") with { Range = [0.1, 0.9] }]),
        new("masks", ColourMeaning.Linear,
            [Feed.Of("ao"), Feed.Of("metalness"), Feed.Of("curvature") with { Exponent = 1.5 }, new Feed(["cavity"], Invert: true)]),
    ];
}
