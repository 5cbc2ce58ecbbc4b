using System.Globalization;
using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>What is wrong with transforms, units, axes and origins.</summary>
internal static class SpaceFindings
{
    // What mistaken units come to, with how unlikely each is beside the others, in powers of ten.
    private static readonly (double Factor, double Unlikely)[] Units = [(0.01, 0), (0.001, 0.2), (0.0254, 0.6), (0.3048, 0.7), (100, 0.1), (1000, 0.3),
        (1 / 0.0254, 0.7), (1 / 0.3048, 0.8)];

    public static IEnumerable<Finding> Of(IntakeLook look)
    {
        if (look.Whole.IsEmpty)
            return [];
        return [.. Transforms(look), .. UnitsOf(look), .. UpAxis(look), .. Origin(look)];
    }

    private static IEnumerable<Finding> Transforms(IntakeLook look)
    {
        int[] placed = [.. look.Used.Where(i => !IsMovedOnly(Placement(look, i)))];
        var scales = placed.ToDictionary(i => i, i => Placements.ScaleOf(Placement(look, i)));
        int[] mirrored = [.. placed.Where(i => scales[i].X < 0)];
        int[] uneven = [.. placed.Where(i => !mirrored.Contains(i) && IsUneven(scales[i]))];
        int[] plain = [.. placed.Where(i => !mirrored.Contains(i) && !uneven.Contains(i))];
        foreach (var f in look.Such(Severity.Warn, "scale-negative", mirrored,
            (n, names) => $"{Says(n, names, "has", "have")} a negative scale that was never applied ({look.Rows[mirrored[0]].Transform}), which turns faces "
            + $"and normals over in some engines; apply it.", Apply))
            yield return f;
        foreach (var f in look.Such(Severity.Warn, "scale-uneven", uneven,
            (n, names) => $"{Says(n, names, "has", "have")} an uneven scale that was never applied ({look.Rows[uneven[0]].Transform}), so normals and "
            + $"densities are skewed in the engine; apply it.", Apply))
            yield return f;
        foreach (var f in look.Such(Severity.Warn, "transform-not-applied", plain,
            (n, names) => $"{Says(n, names, "has", "have")} a transform that was never applied ({look.Rows[plain[0]].Transform}); engines and other tools "
            + $"will see it differently, so apply it.", Apply))
            yield return f;
    }

    private static IReadOnlyList<MendOffer> Apply(IReadOnlyList<string> objects) =>
        [new(objects.Count == 1 ? $"Apply the transform of {objects[0]}" : $"Apply {objects.Count} transforms", true,
            new ApplyTransform { Objects = objects })];

    private static string Says(int count, string names, string has, string have) => $"{names} {(count == 1 ? has : have)}";

    private static Matrix4x4 Placement(IntakeLook look, int i) => look.Facts.Objects[i].Placement is { } m
        ? new Matrix4x4(m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8], m[9], m[10], m[11], m[12], m[13], m[14], m[15])
        : Matrix4x4.Identity;

    /// <summary>Whether a transform only says where the object's own origin is.</summary>
    private static bool IsMovedOnly(Matrix4x4 m) =>
        (m with { Translation = Vector3.Zero }) is var turn && Enumerable.Range(0, 16)
        .All(i => MathF.Abs(turn[i / 4, i % 4] - Matrix4x4.Identity[i / 4, i % 4]) < 1e-5f);

    private static bool IsUneven(Vector3 scale)
    {
        var s = Vector3.Abs(scale);
        return MathF.Max(s.X, MathF.Max(s.Y, s.Z)) > 1.001f * MathF.Min(s.X, MathF.Min(s.Y, s.Z));
    }

    private static IEnumerable<Finding> UnitsOf(IntakeLook look)
    {
        var sides = FilesOfSides(look);
        double expected = look.Settings.Rules.ExpectedSizeMetres ?? 1;
        if (sides is { } pair && FactorBetween(pair.Low.Bounds.Size.Length(), pair.High.Bounds.Size.Length()) is { } lowToHigh)
        {
            // Whichever is farther from what is expected is the odd one.
            bool lowIsOdd = Math.Abs(Math.Log(Largest(pair.Low.Bounds.Size) / expected)) > Math.Abs(Math.Log(Largest(pair.High.Bounds.Size) / expected));
            var (odd, other) = lowIsOdd ? (pair.Low.File, pair.High.File) : (pair.High.File, pair.Low.File);
            double factor = Rounded(lowIsOdd ? lowToHigh : 1 / lowToHigh);
            string times = factor < 1 ? $"{Times(1 / factor)} times as large as" : $"{Times(factor)} times smaller than";
            yield return new Finding(Severity.Warn, "unit-suspect", odd,
                $"{odd} is {times} {other}, as if it were in other units; read it in {ScaleUnits.Unit(factor)}.", 1)
            {
                Mends = [new($"Read {odd} as {ScaleUnits.Unit(factor)}", true, new ScaleUnits(factor) { File = odd })],
            };
            yield break;
        }
        double largest = Largest(look.Whole.Size);
        // Without a word from the kit, only what nobody builds is suspect.
        var (least, most) = look.Settings.Rules.ExpectedSizeMetres is { } told ? (told / 10, told * 10) : (0.01, 60);
        if (largest >= least && largest <= most)
            yield break;
        var likely = Units.Where(u => largest * u.Factor >= least && largest * u.Factor <= most)
            .OrderBy(u => Math.Abs(Math.Log10(largest * u.Factor / expected)) + u.Unlikely).Take(2).ToArray();
        string against = look.Settings.Rules.ExpectedSizeMetres is { } size ? $"the kit's assets are about {Lengths.Of(size)} large"
            : "a person is 1.75 m tall";
        string hint = likely.Length > 0 ? $"read in {ScaleUnits.Unit(likely[0].Factor)} it is {Lengths.Of(largest * likely[0].Factor)}"
            : "check the unit it was exported in";
        yield return new Finding(Severity.Warn, "unit-suspect", "", $"The asset is {Lengths.Of(largest)} large while {against}; {hint}.", 1)
        {
            Spot = IntakeMeasure.Around(look.Whole),
            Mends = [.. likely.Select((u, i) => new MendOffer($"Read units as {ScaleUnits.Unit(u.Factor)}", i == 0, new ScaleUnits(u.Factor)))],
        };
    }

    private static IEnumerable<Finding> UpAxis(IntakeLook look)
    {
        if (FilesOfSides(look) is { } pair && SameBut(pair.Low.Bounds.Size, pair.High.Bounds.Size) is { } lowLies)
        {
            string lying = lowLies ? pair.Low.File : pair.High.File, standing = lowLies ? pair.High.File : pair.Low.File;
            yield return new Finding(Severity.Warn, "z-up", lying, $"{lying} lies on its side beside {standing}, as files with Z up do; turn it.", 1)
            {
                Mends = [new($"Turn {lying} from Z up to Y up", true, new TurnUpright { File = lying })],
            };
            yield break;
        }
        var (min, max, size) = (look.Whole.Min, look.Whole.Max, look.Whole.Size);
        bool standsOnZ = MathF.Abs(min.Z) < 0.02f * size.Z && size.Z > 0.15f * MathF.Max(size.X, size.Y);
        bool hangsAroundY = MathF.Abs(min.Y + max.Y) < 0.25f * size.Y && min.Y < -0.1f * size.Y;
        if (!standsOnZ || !hangsAroundY)
            yield break;
        yield return new Finding(
            Severity.Warn, "z-up", "",
            $"The asset stands on z = 0 and reaches {Lengths.Of(-min.Y)} below y = 0, as files with Z up do; turn it so that Y is up.", 1)
        {
            Spot = IntakeMeasure.Around(look.Whole),
            Mends = [new("Turn Z up to Y up", true, new TurnUpright())],
        };
    }

    private static IEnumerable<Finding> Origin(IntakeLook look)
    {
        var b = look.Whole;
        float away = Vector3.Distance(Vector3.Clamp(Vector3.Zero, b.Min, b.Max), Vector3.Zero), diagonal = b.Size.Length();
        if (away <= 0.25f * diagonal)
            yield break;
        yield return new Finding(
            Severity.Warn, "origin-far", "",
                $"The origin is {Lengths.Of(away)} away from the asset, which is {Lengths.Of(diagonal)} across, so it will turn and snap about a point in "
                + $"the air; move the origin.", 1)
        {
            Spot = IntakeMeasure.Around(b),
            Mends =
            [
                new("Put the origin in the middle of the base", true, new MoveOrigin(OriginPlace.BaseCentre)),
                new("in the middle of the bounds", false, new MoveOrigin(OriginPlace.BoundsCentre)),
                new("in the smallest corner", false, new MoveOrigin(OriginPlace.Corner)),
            ],
        };
    }

    private sealed record FileBounds(string File, Bounds Bounds);

    /// <summary>The largest file of either side, where both sides come in files of their own.</summary>
    private static (FileBounds Low, FileBounds High)? FilesOfSides(IntakeLook look)
    {
        var files = look.Used.GroupBy(i => look.Rows[i].File).Select(g => (
            Sides: g.Select(i => look.Rows[i].Side).Where(s => s is Side.Low or Side.High).Distinct().ToArray(),
            Box: new FileBounds(g.Key, g.Aggregate(Bounds.Empty, (b, i) => b.Including(look.Rows[i].Bounds()))))).ToArray();
        var low = files.Where(f => f.Sides is [Side.Low]).Select(f => f.Box).MaxBy(b => b.Bounds.Size.Length());
        var high = files.Where(f => f.Sides is [Side.High]).Select(f => f.Box).MaxBy(b => b.Bounds.Size.Length());
        return low is null || high is null ? null : (low, high);
    }

    /// <summary>By what the first must be multiplied to be as large as the second, where that is a mistake of units.</summary>
    private static double? FactorBetween(double low, double high)
    {
        if (!(low > 0 && high > 0))
            return null;
        double ratio = high / low;
        return Units.Select(u => u.Factor).Where(f => Math.Abs(ratio / f - 1) < 0.08).Select(f => (double?)f).FirstOrDefault();
    }

    /// <summary>Whether two sizes agree with y and z exchanged and not as they are; true where the first one lies.</summary>
    private static bool? SameBut(Vector3 low, Vector3 high)
    {
        if (Near(low, high) || !Near(low, new Vector3(high.X, high.Z, high.Y)))
            return null;
        // Whichever is taller in y stands, as most assets do.
        return low.Y < high.Y;

        static bool Near(Vector3 a, Vector3 b) => Vector3.Distance(a, b) < 0.05f * a.Length();
    }

    private static double Rounded(double factor) => Units.Select(u => u.Factor).MinBy(f => Math.Abs(Math.Log(f / factor)));

    private static double Largest(Vector3 v) => Math.Max(v.X, Math.Max(v.Y, v.Z));

    private static string Times(double value) => value.ToString(value > 20 ? "0" : "0.#", CultureInfo.InvariantCulture);

}
