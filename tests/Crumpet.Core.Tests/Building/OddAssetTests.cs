using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Whatever coordinates arrive, the line ends in a result or in findings, and never in an exception.</summary>
public sealed class OddAssetTests
{
    [Fact]
    public void Any_coordinates_go_down_the_line_to_a_package_or_to_findings()
    {
        // Some as they come, then those that once failed.
        foreach (int seed in (int[])[.. Enumerable.Range(10_001, 8), 20_020, 20_204, 20_236, 40_319])
            OddAssetRun.Take(seed, default);
    }
}
