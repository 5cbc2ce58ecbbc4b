using System.Globalization;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>What lies farther away, or comes in more pieces, than is worked with.</summary>
internal static class FarFindings
{
    /// <summary>Most objects of an asset that are worked with; ledgers, names and contacts take time for each of them.</summary>
    public const int MostObjects = 10_000;

    /// <summary>Code of the finding that a mend was not applied.</summary>
    public const string MendRefused = "mend-leads-too-far";

    /// <summary>Code of the finding that objects lie too far away.</summary>
    public const string TooFar = "too-far";

    /// <summary>Code of the finding that there are too many objects.</summary>
    public const string TooMany = "too-many-objects";

    // Units in which such numbers are likely to be meant.
    private static readonly double[] Units = [0.01, 0.001, 1e-6];

    /// <summary>Takes out what cannot be worked with, and says so.</summary>
    /// <param name="state">Objects after all mends; those that are left can be worked with.</param>
    /// <param name="kitMends">The kit's own mends, which an asset cannot take back.</param>
    public static IEnumerable<Finding> TakeOut(IntakeState state, IReadOnlyList<Mend> kitMends)
    {
        var findings = new List<Finding>();
        foreach (var refused in state.Refused.DistinctBy(r => r.Mend))
        {
            bool isKits = kitMends.Contains(refused.Mend);
            findings.Add(new Finding(
                Severity.Stop, MendRefused, refused.Name,
                $"The mend '{refused.Mend.Words()}' would take {refused.Name} {Metres(refused.ReachMetres)} from the origin, farther than the {Metres(WorldLimit.Metres)} that are worked with, so it is not applied; {(isKits ? "switch it off among the kit's rules" : "take it away, or give it another number")}.", 1)
            {
                Mends = isKits ? [] : [new($"Take away '{refused.Mend.Words()}'", false, new TakeAway(refused.Mend))],
            });
        }
        foreach (var file in state.Objects.Where(o => o.IsFar).GroupBy(o => o.File))
        {
            var far = file.ToArray();
            var farthest = far.MaxBy(o => WorldLimit.ReachOf(o.Mesh))!;
            float reach = WorldLimit.ReachOf(farthest.Mesh);
            string[] names = [.. far.Select(o => o.SourceName)];
            var scope = far.Length <= 100 ? names : [];
            string which = far.Length == 1 ? $"{farthest.Mesh.Name} in {file.Key} reaches" : $"{far.Length} objects in {file.Key} reach, {farthest.Mesh.Name} farthest,";
            var offers = Units.Where(u => reach * u <= WorldLimit.Metres).Take(2).Select(u => new MendOffer($"Read {file.Key} as {ScaleUnits.Unit(u)}", false, new ScaleUnits(u) { File = file.Key }));
            findings.Add(new Finding(
                Severity.Stop, TooFar, farthest.Mesh.Name,
                $"{which} {Metres(reach)} from the origin, farther than the {Metres(WorldLimit.Metres)} that are worked with; {(far.Length == 1 ? "it is" : "they are")} left out until read in smaller units or rid of the faces out there.", far.Length)
            {
                Mends = [.. offers, new("Take out the faces that are too far away", false, new DropFarFaces { File = file.Key, Objects = scope })],
            });
        }
        state.LeftOut = state.Objects.RemoveAll(o => o.IsFar);
        if (state.Objects.Count > MostObjects)
        {
            findings.Add(new Finding(
                Severity.Stop, TooMany, "",
                $"{SurfaceFindings.Many(state.Objects.Count, "object")} arrived, at most {SurfaceFindings.Many(MostObjects, "object")} are worked with, and so many are listed; join them by material here, or join them before export.", state.Objects.Count)
            {
                Mends = [new("Join objects by material", false, new JoinByMaterial())],
            });
            state.Objects.RemoveRange(MostObjects, state.Objects.Count - MostObjects);
        }
        return findings;
    }

    private static string Metres(float metres) => float.IsFinite(metres)
        ? metres >= 1e9f ? metres.ToString("0.#e0", CultureInfo.InvariantCulture) + " m" : metres.ToString("#,0", CultureInfo.InvariantCulture).Replace(',', '\u2009') + " m"
        : "endlessly far";
}
