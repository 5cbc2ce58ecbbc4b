using Crumpet.Core.Building;
using Crumpet.Core.Convert;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;
using Xunit;

namespace Crumpet.Core.Tests.Convert;

public sealed class BudgetTests
{
    [Fact]
    public void On_two_hundred_chance_cases_no_other_combination_that_fits_has_less_error()
    {
        uint seed = 7;
        int met = 0;
        for (int round = 0; round < 200; round++)
        {
            var textures = Enumerable.Range(0, 1 + Next(5)).Select(_ => new BudgetTexture(
                [.. Enumerable.Range(0, 1 + Next(6)).Select(_ => new TextureChoice(TextureFormat.Bc1, 1, 1 + Next(40), Next(1000) / 10.0, null, null))],
                0.1 + Next(20) / 10.0)).ToArray();
            long bytes = Next(120);
            var (fits, error) = BruteForce(textures, bytes);
            var plan = MemoryBudget.Meet(textures, bytes);
            Assert.Equal(fits, plan is not null);
            if (plan is null)
                continue;
            met++;
            Assert.Equal(error, plan.Error, 9);
            Assert.True(plan.Bytes <= bytes);
            Assert.Equal(plan.Bytes, plan.Chosen.Sum(c => c.Bytes));
            Assert.All(textures.Zip(plan.Chosen), t => Assert.Contains(t.Second, t.First.Choices));
        }
        Assert.InRange(met, 60, 199);

        int Next(int below)
        {
            seed = Hash.Mix(seed + 0x9e3779b9);
            return (int)(seed % (uint)below);
        }
    }

    [Fact]
    public void A_hundred_textures_meet_a_memory_nearly_as_well_as_fractions_of_choices_could()
    {
        uint seed = 99;
        var textures = Enumerable.Range(0, 100).Select(_ => new BudgetTexture([.. Enumerable.Range(0, 9).Select(k =>
            new TextureChoice(TextureFormat.Bc1, 1, (1000 + Next(500)) << k, 4000.0 * Unit() / (1 << k), null, null))], 0.2 + Unit())).ToArray();
        long least = textures.Sum(t => t.Choices.Min(c => c.Bytes));
        foreach (long bytes in new[] { least, 3 * least, 20 * least })
        {
            var plan = MemoryBudget.Meet(textures, bytes)!;
            Assert.True(plan.Bytes <= bytes);
            Assert.Equal(plan.Error, plan.Chosen.Zip(textures).Sum(p => p.First.Error * p.Second.Weight), 3);
            // No price on memory makes error and memory together less than this: a bound from below for every choice there is.
            double bound = Enumerable.Range(0, 400).Select(i => Math.Pow(10, -4 + i * 0.02)).Max(price =>
                textures.Sum(t => t.Choices.Min(c => c.Error * t.Weight + price * c.Bytes)) - price * bytes);
            Assert.InRange(plan.Error, bound * 0.999, bytes == least ? double.PositiveInfinity : bound * 1.02);
        }
        Assert.Null(MemoryBudget.Meet(textures, least - 1));

        int Next(int below) => (int)(Unit() * below);

        double Unit()
        {
            seed = Hash.Mix(seed + 0x9e3779b9);
            return seed / 4294967296.0;
        }
    }

    [Theory]
    [InlineData(256, 64, SideRule.Any)]
    [InlineData(100, 100, SideRule.PowersUp)]
    [InlineData(200, 120, SideRule.PowersDown)]
    public void What_is_stored_takes_what_was_said_also_with_sheets_of_several_sizes(int one, int other, SideRule sides)
    {
        // One output on two sheets of different sizes, and every memory there is between the least and the most.
        var settings = new ConvertSettings(TextureFormat.Bc7, ColourMeaning.Linear) { Sides = sides };
        Bitmap8[] pictures = [Square(one), Square(other)];
        var report = new ConvertReport([.. pictures.Select((p, i) =>
        {
            var texture = TextureConverter.Convert(p, settings, 1);
            return new ConvertedTexture($"{i}", $"{i}.dds", $"{i}.png", settings.Format, settings.Meaning, texture.Width, texture.Levels.Count, 0,
                new TextureQuality(null, [], null, null))
            {
                Output = "masks",
                Height = texture.Height,
                Memory = texture.Bytes,
                Choices = TextureChoices.Measure(p, settings.Meaning, 3, default, sides),
            };
        })]);
        var feed = new Feed([], FeedChannel.R);
        var recipe = new Recipe([new RecipeOutput("masks", ColourMeaning.Linear, [feed, feed, feed]) { Sides = sides }]);
        int met = 0;
        for (double mebibytes = 0.01; mebibytes < 0.5; mebibytes *= 1.15)
        {
            var answer = TextureBudget.Meet([("a", report)], mebibytes);
            if (answer.Plan is null)
                continue;
            met++;
            var output = TextureBudget.Stored(recipe, report, answer, "a").Outputs[0];
            long bytes = pictures.Sum(p => TextureConverter.Convert(p, ConvertSettings.For(output, new Target(), 8192), 1).Bytes);
            Assert.Equal(answer.Plan.Bytes, bytes);
            Assert.InRange(bytes, 1, (long)(mebibytes * TextureBudget.Mebibyte));
        }
        Assert.InRange(met, 5, 100);

        static Bitmap8 Square(int side) => new(side, side, 3, [.. Enumerable.Range(0, 3 * side * side).Select(i => Noise(i / 3 % side, i / 3 / side, i % 3))]);
    }

    [Fact]
    public void What_a_picture_holds_decides_what_it_is_proposed()
    {
        var photo = Picture((x, y) => (Noise(x, y, 0), Noise(x, y, 1), Noise(x, y, 2), 255));
        Assert.Equal(TextureFormat.Bc7, Proposed(photo, ColourMeaning.Srgb, 3));
        var flat = Picture((x, y) => ((byte)(x / 16 * 40), (byte)(y / 16 * 50), 90, 255));
        Assert.Equal(TextureFormat.Bc1, Proposed(flat, ColourMeaning.Srgb, 3));
        var grey = Picture((x, y) => ((byte)(2 * x), (byte)(2 * x), (byte)(2 * x), 255));
        Assert.Equal(TextureFormat.Bc4, Proposed(grey, ColourMeaning.Linear, 1));
        var ramp = Picture((x, y) => ((byte)(x / 2 + y), (byte)(x / 2 + y), 100, 255));
        var report = TextureChoices.Measure(ramp, ColourMeaning.Srgb, 3, default);
        Assert.True(report.Content.IsRamp);
        Assert.NotEqual(TextureFormat.Bc1, report.Proposed.Format);
        Assert.Contains("bands", report.Reason, StringComparison.Ordinal);
        var normals = Picture((x, y) =>
        {
            double nx = 0.5 * Math.Sin(x * 0.2), ny = 0.5 * Math.Sin(y * 0.17);
            return ((byte)(128 + 127 * nx), (byte)(128 + 127 * ny), (byte)(128 + 127 * Math.Sqrt(1 - nx * nx - ny * ny)), 255);
        });
        Assert.Equal(TextureFormat.Bc5, Proposed(normals, ColourMeaning.Normal, 3));
        var holes = Picture((x, y) => ((byte)(x / 16 * 40), 60, 90, (byte)((x / 8 + y / 8) % 2 * 255)));
        Assert.Equal(AlphaContent.Holes, TextureChoices.Measure(holes, ColourMeaning.Srgb, 4, default).Content.Alpha);
        Assert.Equal(TextureFormat.Bc1Holes, Proposed(holes, ColourMeaning.Srgb, 4));
    }

    [Fact]
    public void Smaller_choices_take_less_memory_and_lose_more()
    {
        var report = TextureChoices.Measure(Picture((x, y) => (Noise(x, y, 0), Noise(x, y, 1), Noise(x, y, 2), 255)), ColourMeaning.Srgb, 3, default);
        Assert.Equal(9, report.Choices.Count);
        foreach (var format in report.Choices.GroupBy(c => c.Format))
        {
            var bySize = format.OrderBy(c => c.Divisor).ToArray();
            Assert.True(bySize[0].Bytes > bySize[1].Bytes && bySize[1].Bytes > bySize[2].Bytes);
            Assert.True(bySize[0].Error < bySize[1].Error && bySize[1].Error < bySize[2].Error);
        }
    }

    private static TextureFormat Proposed(Bitmap8 picture, ColourMeaning meaning, int channels) =>
        TextureChoices.Measure(picture, meaning, channels, default).Proposed.Format;

    private static byte Noise(int x, int y, int channel) =>
        (byte)(128 + 60 * Math.Sin(x * 0.11 + channel) * Math.Cos(y * 0.13) + 40 * Shapes.Unit((uint)(x * 997 + y * 3 + channel)));

    private static Bitmap8 Picture(Func<int, int, (byte R, byte G, byte B, byte A)> colour)
    {
        var picture = new Bitmap8(128, 128, 4);
        for (int i = 0; i < 128 * 128; i++)
            (picture.Pixels[4 * i], picture.Pixels[4 * i + 1], picture.Pixels[4 * i + 2], picture.Pixels[4 * i + 3]) = colour(i % 128, i / 128);
        return picture;
    }

    private static (bool Fits, double Error) BruteForce(BudgetTexture[] textures, long bytes)
    {
        bool fits = false;
        double least = double.PositiveInfinity;
        Go(0, 0, 0);
        return (fits, least);

        void Go(int at, long taken, double error)
        {
            if (taken > bytes)
                return;
            if (at == textures.Length)
            {
                fits = true;
                least = Math.Min(least, error);
                return;
            }
            foreach (var choice in textures[at].Choices)
                Go(at + 1, taken + choice.Bytes, error + choice.Error * textures[at].Weight);
        }
    }
}
