using System.Numerics;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>The stage's light against integrals worked another way.</summary>
public sealed class SkyLightTests
{
    [Fact]
    public void An_even_sky_lights_every_direction_alike()
    {
        var coefficients = SkyLight.Irradiance([.. Enumerable.Repeat(new Vector3(0.7f), SkyLight.Width * SkyLight.Height)]);
        for (uint i = 0; i < 100; i++)
            Assert.Equal(0.7f, SkyLight.IrradianceAt(coefficients, Direction(i)).X, 2e-3f);
    }

    [Fact]
    public void The_coefficients_agree_with_sampling_the_hemisphere()
    {
        var radiance = Enumerable.Range(0, SkyLight.Width * SkyLight.Height)
            .Select(i => SkyLight.Radiance(SkyLight.DirectionOf((i % SkyLight.Width + 0.5f) / SkyLight.Width, (i / SkyLight.Width + 0.5f) / SkyLight.Height)))
            .ToArray();
        var coefficients = SkyLight.Irradiance(radiance);
        for (uint i = 0; i < 40; i++)
        {
            var normal = Direction(i);
            float sum = 0;
            const int count = 4096;
            for (uint s = 0; s < count; s++)
                sum += SkyLight.Radiance(new Hemisphere(normal).Direction(SobolSequence.Point(s, i))).Y;
            // Nine terms hold all but a few hundredths of a smooth sky's irradiance.
            Assert.Equal(sum / count, SkyLight.IrradianceAt(coefficients, normal).Y, 0.03f);
        }
    }

    [Fact]
    public void The_file_has_its_size_and_rough_mirrors_are_smoother_than_sharp_ones()
    {
        byte[] bytes = SkyLight.Write(2);
        int texels = SkyLight.Width * SkyLight.Height, start = 16 + 4 * 3 * 11;
        Assert.Equal("CSL1"u8.ToArray(), bytes[..4]);
        Assert.Equal(start + SkyLight.Levels * texels * 8, bytes.Length);
        double before = double.PositiveInfinity;
        for (int level = 0; level < SkyLight.Levels; level++)
        {
            var values = Enumerable.Range(0, texels).Select(i => (double)BitConverter.ToHalf(bytes, start + (level * texels + i) * 8)).ToArray();
            double spread = Math.Sqrt(values.Average(v => v * v) - Math.Pow(values.Average(), 2));
            Assert.True(spread < before, $"level {level}: {spread} after {before}");
            before = spread;
        }
        Assert.Equal(bytes, SkyLight.Write(1));
    }

    private static Vector3 Direction(uint i) => SkyLight.DirectionOf(Shapes.Unit(2 * i), 0.5f + 0.49f * (2 * Shapes.Unit(2 * i + 1) - 1));
}
