using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>
/// Takes mends and what is decided by hand into a plan: mends of what arrived are listed and replayed, those of faults change what was
/// decided.
/// </summary>
public static class PlanMends
{
    // Enough that nothing of a shading normal's direction is left to the smooth one.
    private const float Straight = 1;

    /// <summary>The plan with a mend.</summary>
    public static AssetPlan With(this AssetPlan plan, Mend mend) => mend switch
    {
        WidenReach m => plan with { Pairs = plan.Pairs.With(m.Part, Widened(plan.Pairs.Parts.GetValueOrDefault(m.Part) ?? new PartSettings(), m)) },
        FillMisses => plan with { Bake = plan.Bake with { FillsMisses = true } },
        FitScale m => plan with { Bake = MapScales.Unset(m.Map, plan.Bake) },
        // A tie only holds where trays are planned.
        SeparateTrays m => plan with
        {
            Trays = plan.Trays == TrayMode.One ? TrayMode.Planned : plan.Trays,
            Pairs = Untied(plan.Pairs, m)
            .With(new PartTie(m.One, m.Two, false))
        },
        PlanTrays => plan with { Trays = TrayMode.Planned },
        StraightenDetail m => plan with
        {
            Pairs = plan.Pairs with
            {
                Strokes = [.. plan.Pairs.Strokes,
                .. m.Spots.Select(s => new BrushStroke(BrushKind.Direction, m.Part, [s.X, s.Y, s.Z], s.RadiusMetres, Straight))]
            },
        },
        TakeAway m => plan with { Mends = [.. plan.Mends.Where(own => BuildJson.OfMend(own) != BuildJson.OfMend(m.What))] },
        PackIslands => plan with { Layout = plan.Layout with { Pack = true } },
        LayOutFor m => plan.LaidFor(m.Size),
        KeepUvs => plan with { Layout = plan.Layout with { Pack = false, Uvs = UvSource.Keep, Held = [] } },
        EnlargeSheet m => plan with
        {
            Bake = plan.Bake with
            {
                SheetSizes = Ordered.Changed(plan.Bake.SheetSizes, m.Sheet, m.Size, m.Size == plan.Bake.Size,
            StringComparer.Ordinal)
            }
        },
        MaterialMend m => plan.WithMaterial(m.Material, m.Applied),
        OutputMend m => plan with { Recipe = m.Applied(plan.Recipe) },
        AddOutputFor m => plan with { Recipe = m.Applied(plan.Recipe) },
        BakeAlso m => plan with { Bake = plan.Bake with { Maps = [.. plan.Bake.Maps.Union([m.Map])] } },
        _ when plan.Mends.Any(m => BuildJson.OfMend(m) == BuildJson.OfMend(mend)) => plan,
        _ => plan with { Mends = [.. plan.Mends, mend] },
    };

    /// <summary>The plan with something else decided about one material.</summary>
    public static AssetPlan WithMaterial(this AssetPlan plan, string material, Func<MaterialPlan, MaterialPlan> change)
    {
        var changed = change(plan.Materials.GetValueOrDefault(material) ?? new MaterialPlan());
        return plan with { Materials = Ordered.Changed(plan.Materials, material, changed, changed == new MaterialPlan(), StringComparer.Ordinal) };
    }

    /// <summary>The plan with a part on a tray by hand, for which trays have to be planned; or left to the plan.</summary>
    /// <param name="plan">The plan.</param>
    /// <param name="part">Name of the part.</param>
    /// <param name="tray">Number of the tray from 0; null for the plan.</param>
    public static AssetPlan OnTray(this AssetPlan plan, string part, int? tray) =>
        plan with { Trays = tray is null ? plan.Trays : TrayMode.Planned, Pairs = plan.Pairs.OnTray(part, tray) };

    /// <summary>The plan with two parts kept together or apart, for which trays have to be planned.</summary>
    public static AssetPlan Tied(this AssetPlan plan, PartTie tie) => plan with { Trays = TrayMode.Planned, Pairs = plan.Pairs.With(tie) };

    /// <summary>The plan with a map that is made from a texture; of each map there is one.</summary>
    public static AssetPlan Making(this AssetPlan plan, MadeMap made) =>
        plan with { Bake = plan.Bake with { Made = [.. plan.Bake.Made.Where(m => m.To != made.To), made] } };

    private static PartSettings Widened(PartSettings own, WidenReach mend) =>
        own with { OutwardReachMetres = mend.OutwardMetres ?? own.OutwardReachMetres, InwardReachMetres = mend.InwardMetres ?? own.InwardReachMetres };

    /// <summary>Two parts that one hand put on one tray are let go, or the tie could not part them.</summary>
    private static PairSettings Untied(PairSettings pairs, SeparateTrays mend) =>
        pairs.TrayByHand.TryGetValue(mend.One, out int one) && pairs.TrayByHand.TryGetValue(mend.Two, out int two) && one == two ? pairs.OnTray(mend.One, null)
            : pairs;
}
