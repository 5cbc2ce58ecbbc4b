using System.Globalization;
using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>Everything that findings are drawn from.</summary>
internal sealed class IntakeLook
{
    // So many objects need no list where they are all there are.
    private const int MostListed = 500;

    private IntakeLook(IntakeState state, IntakeInput input, MeshFlaws[] flaws)
    {
        State = state;
        Input = input;
        Flaws = flaws;
        Rows = [.. state.Objects.Select((o, i) => Describe(o, flaws[i]))];
        LowMaterials = [.. Of(Side.Low).SelectMany(i => state.Objects[i].Mesh.TriangleMaterials).Where(m => m >= 0).Distinct().Select(m => state.Materials[m].Name)];
        Whole = Enumerable.Range(0, Rows.Count).Where(i => Rows[i].Side != Side.Aside).Aggregate(Bounds.Empty, (b, i) => b.Including(state.Objects[i].Mesh.Bounds()));
    }

    public IntakeState State { get; }
    public IntakeInput Input { get; }

    /// <summary>One an object.</summary>
    public MeshFlaws[] Flaws { get; }

    /// <summary>One an object.</summary>
    public IReadOnlyList<ObjectReport> Rows { get; }

    public IReadOnlyList<string> LowMaterials { get; }

    /// <summary>Box of all objects that are not aside.</summary>
    public Bounds Whole { get; }

    public static IntakeLook At(IntakeState state, IntakeInput input, CancellationToken cancel)
    {
        var flaws = new MeshFlaws[state.Objects.Count];
        Parallel.For(0, flaws.Length, new ParallelOptions { MaxDegreeOfParallelism = input.Threads, CancellationToken = cancel }, i =>
            flaws[i] = MeshFlaws.Find(state.Objects[i].Mesh, WeldTolerance(state.Objects[i].Mesh), cancel));
        return new IntakeLook(state, input, flaws);
    }

    /// <summary>Two hundred-thousandths of an object's diagonal: below what a bake can show, above what rounding does.</summary>
    public static float WeldTolerance(Mesh mesh) => MathF.Max(1e-6f, 2e-5f * mesh.Bounds().Size.Length());

    /// <summary>Numbers of the objects of a side.</summary>
    public IEnumerable<int> Of(Side side) => Enumerable.Range(0, Rows.Count).Where(i => Rows[i].Side == side);

    /// <summary>Numbers of all objects that are used.</summary>
    public IEnumerable<int> Used => Enumerable.Range(0, Rows.Count).Where(i => Rows[i].Side != Side.Aside);

    /// <summary>One finding for all objects with a flaw, placed at the worst.</summary>
    /// <param name="severity">How much it matters.</param>
    /// <param name="code">Kind of finding.</param>
    /// <param name="among">Objects looked at.</param>
    /// <param name="flaw">The flaw.</param>
    /// <param name="sentence">From how many and where to one sentence.</param>
    /// <param name="offers">Mends from the objects' source names.</param>
    public IEnumerable<Finding> Flawed(Severity severity, string code, IEnumerable<int> among, Func<MeshFlaws, Flaw> flaw, Func<int, string, string> sentence, Func<IReadOnlyList<string>, IReadOnlyList<MendOffer>>? offers = null)
    {
        var hit = among.Where(i => flaw(Flaws[i]).Count > 0).OrderByDescending(i => flaw(Flaws[i]).Count).ToArray();
        if (hit.Length == 0)
            yield break;
        int total = hit.Sum(i => flaw(Flaws[i]).Count);
        yield return new Finding(severity, code, Rows[hit[0]].Name, sentence(total, Names(hit)), total)
        {
            Spot = SpotAt(hit[0], flaw(Flaws[hit[0]]).Corner),
            Mends = offers?.Invoke(Sources(hit)) ?? [],
        };
    }

    /// <summary>One finding for all objects of which something holds.</summary>
    public IEnumerable<Finding> Such(Severity severity, string code, IEnumerable<int> which, Func<int, string, string> sentence, Func<IReadOnlyList<string>, IReadOnlyList<MendOffer>>? offers = null)
    {
        int[] hit = [.. which];
        if (hit.Length > 0)
            yield return new Finding(severity, code, Rows[hit[0]].Name, sentence(hit.Length, Names(hit)), hit.Length) { Spot = SpotAt(hit[0], -1), Mends = offers?.Invoke(Sources(hit)) ?? [] };
    }

    /// <summary>Names of objects, of many the first three.</summary>
    public string Names(IReadOnlyList<int> objects) => objects.Count <= 3
        ? string.Join(objects.Count == 2 ? " and " : ", ", objects.Select(i => Rows[i].Name))
        : $"{string.Join(", ", objects.Take(3).Select(i => Rows[i].Name))} and {objects.Count - 3} more";

    /// <summary>Source names, by which mends know objects; all of a file's objects need no list.</summary>
    public IReadOnlyList<string> Sources(IReadOnlyList<int> objects) => objects.Count > MostListed && objects.Count == Rows.Count ? [] : [.. objects.Select(i => Rows[i].SourceName).Distinct(StringComparer.Ordinal)];

    /// <summary>The place of a corner, or of the whole object.</summary>
    public Spot SpotAt(int number, int corner)
    {
        var mesh = State.Objects[number].Mesh;
        var bounds = mesh.Bounds();
        var at = corner >= 0 ? mesh.PositionAt(corner) : bounds.Centre;
        float radius = corner >= 0 ? MathF.Max(bounds.Size.Length() * 0.05f, 4 * Vector3.Distance(at, mesh.PositionAt(Topology.Next(corner)))) : bounds.Size.Length() / 2;
        return new Spot(at.X, at.Y, at.Z, radius);
    }

    private ObjectReport Describe(IntakeObject o, MeshFlaws flaws)
    {
        var reading = State.Names.Read(o.Mesh.Name);
        var bounds = o.Mesh.Bounds();
        var size = bounds.Size;
        return new ObjectReport(
            o.File, o.Mesh.Name, reading?.Part ?? o.Mesh.Name, State.SideOf(o), o.Mesh.TriangleCount, o.Mesh.PolygonCount, o.Mesh.Positions.Length,
            [.. o.Mesh.TriangleMaterials.Where(m => m >= 0).Distinct().Order().Select(m => State.Materials[m].Name)], o.Mesh.UvSets.Count, o.Mesh.Normals is not null, o.Mesh.Colours is not null,
            [size.X, size.Y, size.Z])
        {
            SourceName = o.SourceName,
            Detail = reading?.Detail ?? "",
            Shells = flaws.Shells,
            BorderEdges = flaws.Borders.Count,
            HardEdges = flaws.Hard.Count,
            Transform = InWords(o.Mesh.Placement),
            MinMetres = [bounds.Min.X, bounds.Min.Y, bounds.Min.Z],
            MaxMetres = [bounds.Max.X, bounds.Max.Y, bounds.Max.Z],
            MaterialNumbers = [.. o.Mesh.TriangleMaterials.Distinct().Order()],
            IsHidden = o.Mesh.IsHidden,
        };
    }

    /// <summary>A transform in words; empty for none.</summary>
    public static string InWords(Matrix4x4 m)
    {
        if (m.IsIdentity)
            return "";
        var parts = new List<string>();
        var scale = ScaleOf(m);
        if (Vector3.Distance(scale, Vector3.One) > 1e-4f)
            parts.Add(MathF.Abs(scale.X - scale.Y) < 1e-4f * MathF.Abs(scale.X) && MathF.Abs(scale.X - scale.Z) < 1e-4f * MathF.Abs(scale.X) ? $"scale {Short(scale.X)}" : $"scale {Short(scale.X)}, {Short(scale.Y)}, {Short(scale.Z)}");
        if (IsTurned(m))
            parts.Add("turned");
        if (m.Translation.Length() > 1e-6f)
            parts.Add($"moved {Short(m.Translation.X)}, {Short(m.Translation.Y)}, {Short(m.Translation.Z)} m");
        return string.Join(", ", parts);

        static string Short(float value) => value.ToString("0.###", CultureInfo.InvariantCulture);
    }

    /// <summary>Scale along the object's own axes; negative in x where the transform mirrors.</summary>
    public static Vector3 ScaleOf(Matrix4x4 m)
    {
        var scale = new Vector3(new Vector3(m.M11, m.M12, m.M13).Length(), new Vector3(m.M21, m.M22, m.M23).Length(), new Vector3(m.M31, m.M32, m.M33).Length());
        return m.GetDeterminant() < 0 ? scale with { X = -scale.X } : scale;
    }

    private static bool IsTurned(Matrix4x4 m)
    {
        var scale = ScaleOf(m);
        return MathF.Abs(m.M11 - scale.X) > 1e-4f * MathF.Abs(scale.X) || MathF.Abs(m.M22 - scale.Y) > 1e-4f * scale.Y || MathF.Abs(m.M33 - scale.Z) > 1e-4f * scale.Z;
    }
}
