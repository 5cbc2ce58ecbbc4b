using Crumpet.Core.Bake;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;

using Crumpet.Core.Checking;

namespace Crumpet.Core.Building;

/// <summary>Names of an asset's sheets, such that no two of their files have one name, in whatever case a file system reads them.</summary>
/// <param name="input">What the asset says.</param>
public sealed class SheetNames(GraphInput input)
{
    internal const string Faults = "faults";
    internal const string Legend = "id_legend";

    /// <summary>What a map that cannot be looked at as it is has after its name.</summary>
    internal const string Shown = "_shown";

    private static readonly string[] Beside = [Faults, Legend, MapFiles.Scales];

    private readonly HashSet<(bool IsTexture, string Name)> taken = [];

    /// <summary>The name of a file of Bake, without ending.</summary>
    public static string File(string sheet, string what) => $"{sheet}_{what}";

    /// <summary>What stands for the asset in names of textures where it has several sheets.</summary>
    public static string AssetField(string asset, string sheet) => $"{asset}_{sheet}";

    /// <summary>The name of a texture, without ending.</summary>
    /// <param name="plan">The pattern of the kit.</param>
    /// <param name="asset">What stands for the asset.</param>
    /// <param name="sheet">What stands for the sheet.</param>
    /// <param name="output">The output, which may have a pattern of its own.</param>
    public static string Texture(AssetPlan plan, string asset, string sheet, RecipeOutput output) =>
        Texture(output.File ?? plan.BindPattern, asset, sheet, output.Name);

    /// <summary>The same by a pattern.</summary>
    public static string Texture(string pattern, string asset, string sheet, string output) => Convention.Parse(pattern, [])
        .Write(new Dictionary<string, string> { ["asset"] = asset, ["sheet"] = sheet, ["map"] = output });

    /// <summary>The name of the next sheet: the wanted one, or with a number where one of its files would have the name of another sheet's.</summary>
    public string Give(string wanted)
    {
        for (int number = 1; ; number++)
        {
            string name = number == 1 ? wanted : $"{wanted}_{number}";
            var files = FilesOf(name).ToArray();
            if (files.Any(taken.Contains))
                continue;
            taken.UnionWith(files);
            return name;
        }
    }

    private IEnumerable<(bool IsTexture, string Name)> FilesOf(string sheet) =>
    [
        .. BakeMaps.All.SelectMany(m => new[] { m.Name, m.Name + Shown }).Concat(Beside).Select(what => (false, File(sheet, what).ToUpperInvariant())),
        .. input.Plan.Recipe.Made().Select(o => (true, Texture(input.Plan, AssetField(input.Asset, sheet), sheet, o).ToUpperInvariant())),
    ];
}
