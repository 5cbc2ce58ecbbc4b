using Crumpet.Core.Bake;
using Crumpet.Core.Bind;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>All kinds of mends, of all stations.</summary>
public static class MendKinds
{
    /// <summary>One row a kind.</summary>
    public static IReadOnlyList<MendKind> All { get; } =
        [.. IntakeMendKinds.All, .. LayoutMendKinds.All, .. BakeMendKinds.All, .. PackMendKinds.All, .. BindMendKinds.All];
}
