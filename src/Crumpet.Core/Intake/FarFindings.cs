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

    // A mend names so many objects; beyond that it is for all of the file.
    private const int MostNamed = 100;

    // Units in which such numbers are likely to be meant.
    private static readonly double[] Units = [0.01, 0.001, 1e-6];

    /// <summary>Takes out what cannot be worked with.</summary>
    /// <param name="state">Objects after all mends; those that are left can be worked with.</param>
    /// <returns>What lies too far away, and how many objects do not.</returns>
    public static (IReadOnlyList<FarFact> Far, int Near) TakeOut(IntakeState state)
    {
        FarFact[] facts = [.. state.Objects.Where(o => o.IsFar).GroupBy(o => o.File).Select(file =>
        {
            var farthest = file.MaxBy(o => WorldLimit.ReachOf(o.Mesh))!;
            return new FarFact(file.Key, [.. file.Select(o => o.SourceName)], farthest.Mesh.Name, WorldLimit.ReachOf(farthest.Mesh));
        })];
        state.Objects.RemoveAll(o => o.IsFar);
        int near = state.Objects.Count;
        if (near > MostObjects)
            state.Objects.RemoveRange(MostObjects, near - MostObjects);
        return (facts, near);
    }

    /// <summary>What is said of it.</summary>
    public static IEnumerable<Finding> Of(IntakeLook look)
    {
        Mend[] mends = [.. look.Mends];
        foreach (var refused in look.Facts.Refused)
        {
            bool isKits = refused.Mend < look.Settings.Rules.Mends.Count;
            var mend = mends[refused.Mend];
            yield return new Finding(
                Severity.Stop, MendRefused, refused.Name,
                $"The mend '{mend.Words()}' would take {refused.Name} {Lengths.Of(refused.ReachMetres)} from the origin, farther than the "
                    + $"{Lengths.Of(WorldLimit.Metres)} that are worked with, so it is not applied; "
                    + $"{(isKits ? "switch it off among the kit's rules" : "take it away, or give it another number")}.", 1)
            {
                Mends = isKits ? [] : [new($"Take away '{mend.Words()}'", false, new TakeAway(mend))],
            };
        }
        foreach (var (file, names, farthest, reach) in look.Facts.Far)
        {
            string which = names.Count == 1 ? $"{farthest} in {file} reaches" : $"{names.Count} objects in {file} reach, {farthest} farthest,";
            var offers = Units.Where(u => reach * u <= WorldLimit.Metres).Take(2)
                .Select(u => new MendOffer($"Read {file} as {ScaleUnits.Unit(u)}", false, new ScaleUnits(u) { File = file }));
            yield return new Finding(
                Severity.Stop, TooFar, farthest,
                $"{which} {Lengths.Of(reach)} from the origin, farther than the {Lengths.Of(WorldLimit.Metres)} that are worked with; "
                    + $"{(names.Count == 1 ? "it is" : "they are")} left out until read in smaller units or rid of the faces out there.", names.Count)
            {
                Mends = [.. offers, new("Take out the faces that are too far away", false,
                    new DropFarFaces { File = file, Objects = names.Count <= MostNamed ? names : [] })],
            };
        }
        if (look.Facts.Near > MostObjects)
        {
            yield return new Finding(
                Severity.Stop, TooMany, "",
                $"{SurfaceFindings.Many(look.Facts.Near, "object")} arrived, at most {SurfaceFindings.Many(MostObjects, "object")} are worked with, and so "
                    + $"many are listed; join them by material here, or join them before export.", look.Facts.Near)
            {
                Mends = [new("Join objects by material", false, new JoinByMaterial())],
            };
        }
    }
}
