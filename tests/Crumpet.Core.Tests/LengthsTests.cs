using Xunit;

namespace Crumpet.Core.Tests;

public sealed class LengthsTests
{
    [Theory]
    [InlineData(0, "0 mm")]
    [InlineData(0.000186, "0.186 mm")]
    [InlineData(0.0123456, "12.35 mm")]
    [InlineData(0.12, "120 mm")]
    public void Details_are_said_in_millimetres(double metres, string said) => Assert.Equal(said, Lengths.Millimetres(metres));

    [Theory]
    [InlineData(0.05, "50 mm")]
    [InlineData(0.476, "0.48 m")]
    [InlineData(47.6, "47.6 m")]
    [InlineData(1e6, "1\u2009000\u2009000 m")]
    [InlineData(9e18, "9e18 m")]
    [InlineData(double.PositiveInfinity, "endlessly far")]
    public void Sizes_are_said_in_what_suits_them(double metres, string said) => Assert.Equal(said, Lengths.Of(metres));
}
