using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Whatever coordinates arrive, the line ends in a result or in findings, and never in an exception.</summary>
public sealed class OddAssetTests
{
    [Fact]
    public void Any_coordinates_go_down_the_line_to_a_package_or_to_findings()
    {
        for (int seed = 10_001; seed < 10_016; seed++)
            OddAssetRun.Take(seed, default);
    }
}
