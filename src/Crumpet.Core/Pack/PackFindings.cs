namespace Crumpet.Core.Pack;

/// <summary>What is wrong with a recipe's outputs on a sheet.</summary>
public static class PackFindings
{
    /// <summary>One finding for each map that is asked for and not there.</summary>
    /// <param name="recipe">The outputs.</param>
    /// <param name="maps">Names of the sheet's maps.</param>
    public static IEnumerable<Finding> Of(Recipe recipe, IReadOnlySet<string> maps) =>
        from output in recipe.Outputs
        from feed in output.Channels
        where feed.Map is not null && !maps.Contains(feed.Map)
        select new Finding(
            Severity.Warn, "map-missing", output.Name,
            FormattableString.Invariant(
                $"{output.Name} asks for {feed.Map}, which was not baked; {feed.Fallback:0.##} stands in. Bake {feed.Map} or change the recipe."));
}
