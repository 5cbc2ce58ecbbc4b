using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>What a way to share sheets costs the engine.</summary>
/// <param name="Rule">The way.</param>
/// <param name="Sheets">Sheets, each with a set of textures.</param>
/// <param name="Draws">Times something is drawn: once for each object and each sheet on it.</param>
/// <param name="Bytes">Memory of all textures with their mips.</param>
public sealed record SheetCost(SheetRule Rule, int Sheets, int Draws, long Bytes)
{
    /// <summary>What a sheet a material costs, and what all parts together do.</summary>
    /// <param name="objects">What arrived; its low side counts.</param>
    /// <param name="sheetsTogether">Sheets the parts take when they lie together.</param>
    /// <param name="plan">What is made of each sheet, and how large.</param>
    public static (SheetCost Apart, SheetCost Together) Of(IReadOnlyList<ObjectReport> objects, int sheetsTogether, AssetPlan plan)
    {
        var low = objects.Where(o => o.Side == Side.Low).ToArray();
        int materials = Math.Max(1, low.SelectMany(o => o.Materials).Distinct(StringComparer.Ordinal).Count());
        long each = RecipeCost.Of(plan.Recipe, plan.Target, plan.Bake.Size, plan.Bake.Size).Bytes;
        return (
            new SheetCost(SheetRule.Materials, materials, low.Sum(o => Math.Max(1, o.Materials.Count)), materials * each),
            new SheetCost(SheetRule.Together, sheetsTogether, low.Length, sheetsTogether * each));
    }
}
