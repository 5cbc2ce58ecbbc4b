using System.Numerics;
using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>An object on its way through the mends.</summary>
/// <param name="File">File it came from.</param>
/// <param name="SourceName">Its name there, unique within the file.</param>
/// <param name="Mesh">Geometry, with the name it now has.</param>
internal sealed record IntakeObject(string File, string SourceName, Mesh Mesh)
{
    /// <summary>Side told by hand, or null.</summary>
    public Side? ForcedSide { get; init; }

    /// <summary>Part told by hand, with what tells the object from others of it; null where its name says it.</summary>
    public (string Part, string Detail)? ForcedPart { get; init; }

    /// <summary>Whether it reaches beyond <see cref="WorldLimit"/>; until a mend brings it in, its surface is not worked on.</summary>
    public bool IsFar { get; init; }

    /// <summary>The same with another mesh, wherever that lies.</summary>
    public IntakeObject Moved(Mesh mesh) => this with { Mesh = mesh, IsFar = !WorldLimit.Holds(mesh) };
}

/// <summary>Something that is no mesh, on its way through the mends.</summary>
internal sealed record IntakeStray(string File, Stray Stray);

/// <summary>Everything that mends change, before textures.</summary>
/// <param name="Objects">Objects.</param>
/// <param name="Strays">What is no mesh.</param>
/// <param name="Materials">Materials that triangles number.</param>
/// <param name="Paths">Files taken for paths that lead nowhere.</param>
/// <param name="Names">How names are read.</param>
internal sealed record IntakeState(List<IntakeObject> Objects, List<IntakeStray> Strays, List<Material> Materials, Dictionary<string, string> Paths,
    NameReader Names)
{
    /// <summary>Objects a mend was not applied to, since it was asked last.</summary>
    public List<(string Name, float ReachMetres)> Refused { get; } = [];

    /// <summary>Materials that were renamed as their file has two of a name.</summary>
    public List<RenamedMaterialFact> RenamedMaterials { get; } = [];

    /// <summary>Names of materials of which the first was chosen.</summary>
    public HashSet<string> SettledMaterials { get; } = new(StringComparer.Ordinal);

    /// <summary>Side of an object.</summary>
    public Side SideOf(IntakeObject o) => o.ForcedSide ?? Names.Read(o.Mesh.Name)?.Side ?? Names.SideOfFile(o.File);
}

/// <summary>Applies mends of meshes, names and sides.</summary>
internal static class Mender
{
    /// <summary>Applies one mend.</summary>
    /// <returns>How many objects, names or faces it changed; null for a mend of textures, which are changed elsewhere.</returns>
    public static int? Apply(IntakeMend mend, IntakeState state, CancellationToken cancel) => mend switch
    {
        ScaleUnits m => Move(mend, state, mend.Chooser(), o => Turned(o.Mesh, Matrix4x4.CreateScale((float)m.Factor)), cancel),
        TurnUpright => Move(mend, state, mend.Chooser(), o => Turned(o.Mesh, Upright), cancel),
        MoveOrigin m => MoveTo(m, state, cancel),
        ApplyTransform => Change(mend, state, o => o.Mesh.Placement.IsIdentity ? (o, 0) : (o with { Mesh = o.Mesh with { Placement = Matrix4x4.Identity } }, 1),
            cancel),
        Rename m => Change(mend, state, o => Named(o, m.To), cancel),
        RenameByPattern m => NameMends.ByPattern(m, state),
        NumberNames => NameMends.NumberEqual(mend, state),
        CleanNames => NameMends.Clean(mend, state),
        RenameEach m => NameMends.Each(m, state),
        PairUp m => NameMends.Pair(m, state),
        StripPrefix m => Change(mend, state, o => o.Mesh.Name.StartsWith(m.Prefix, StringComparison.Ordinal) && o.Mesh.Name.Length > m.Prefix.Length
            ? Named(o, o.Mesh.Name[m.Prefix.Length..]) : (o, 0), cancel),
        SetSide m => SetSideOf(m, state),
        DropEmptyFaces => Reshape(mend, state, MeshRepair.DropEmpty, cancel),
        DropDoubledFaces => Reshape(mend, state, MeshRepair.DropDoubled, cancel),
        TurnFaces => Reshape(mend, state, MeshRepair.FaceOutward, cancel),
        WeldPoints m => Reshape(mend, state, (Mesh mesh, out int n) => MeshRepair.Weld(mesh, (float)m.ToleranceMetres, out n), cancel),
        DropFarFaces => Change(mend, state, o => (o.Moved(MeshRepair.DropFar(o.Mesh, out int n)), n), cancel),
        JoinByMaterial m => Joining.ByMaterial(m, state, cancel),
        SmoothByAngle m => Change(mend, state, o => o.IsFar ? (o, 0) : (o with { Mesh = Smooth(o.Mesh, m) }, 1), cancel),
        SoftenEdges => Reshape(mend, state, MeshRepair.Soften, cancel),
        CutEdges m => Reshape(mend, state, (Mesh mesh, out int n) => MeshRepair.CutHardEdges(mesh, (float)(m.GapPixels / m.Size), out n), cancel),
        MergeMaterials m => Merge(m, state),
        KeepMaterialsApart m => MaterialNames.KeepApart(m, state),
        TakeFirstMaterial m => MaterialNames.TakeFirst(m, state),
        UseTexture m => Use(m, state),
        _ => null,
    };

    /// <summary>From Z up to Y up.</summary>
    private static Matrix4x4 Upright { get; } = new(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1);

    private delegate Mesh Repair(Mesh mesh, out int changed);

    private static int Change(IntakeMend mend, IntakeState state, Func<IntakeObject, (IntakeObject, int)> change, CancellationToken cancel = default)
    {
        int total = 0;
        var isFor = mend.Chooser();
        for (int i = 0; i < state.Objects.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            if (!isFor(state.Objects[i]))
                continue;
            (state.Objects[i], int changed) = change(state.Objects[i]);
            total += changed;
        }
        return total;
    }

    private static int Reshape(IntakeMend mend, IntakeState state, Repair repair, CancellationToken cancel) => Change(mend, state, o =>
    {
        if (o.IsFar)
            return (o, 0);
        var mesh = repair(o.Mesh, out int changed);
        return (ReferenceEquals(mesh, o.Mesh) ? o : o with { Mesh = mesh }, changed);
    }, cancel);

    private static Mesh Smooth(Mesh mesh, SmoothByAngle mend)
    {
        var smooth = MeshRepair.SmoothByAngle(mesh, (float)mend.Degrees);
        return mend.AtSeams ? MeshRepair.Soften(smooth, out _) : smooth;
    }

    private static (IntakeObject, int) Named(IntakeObject o, string name) =>
        o.Mesh.Name == name || name.Length == 0 ? (o, 0) : (o with { Mesh = o.Mesh with { Name = name } }, 1);

    /// <summary>Moves objects, all that the mend is for or none: one that would leave the world's limit keeps it from being applied.</summary>
    private static int Move(IntakeMend mend, IntakeState state, Func<IntakeObject, bool> isFor, Func<IntakeObject, Mesh> move, CancellationToken cancel)
    {
        var moved = new List<(int Number, IntakeObject Object)>();
        for (int i = 0; i < state.Objects.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var o = state.Objects[i];
            if (!isFor(o))
                continue;
            var there = o.Moved(move(o));
            // What was far may stay far, or a number of other units could never be mended; but it stays a number.
            if (there.IsFar && (!o.IsFar || !float.IsFinite(WorldLimit.ReachOf(there.Mesh))))
            {
                state.Refused.Add((o.Mesh.Name, WorldLimit.ReachOf(there.Mesh)));
                return 0;
            }
            moved.Add((i, there));
        }
        foreach (var (number, there) in moved)
            state.Objects[number] = there;
        return moved.Count;
    }

    /// <summary>The mesh moved by a turn with one scale; its placement stays a transform in the new units and axes.</summary>
    private static Mesh Turned(Mesh mesh, Matrix4x4 move)
    {
        Matrix4x4.Invert(move, out var back);
        bool turns = move.M22 != move.M11;
        return mesh with
        {
            Positions = Array.ConvertAll(mesh.Positions, p => Vector3.Transform(p, move)),
            Normals = turns && mesh.Normals is { } normals ? Array.ConvertAll(normals, n => Vector3.TransformNormal(n, move)) : mesh.Normals,
            Placement = mesh.Placement.IsIdentity ? mesh.Placement : back * mesh.Placement * move,
        };
    }

    private static int MoveTo(MoveOrigin mend, IntakeState state, CancellationToken cancel)
    {
        var bounds = state.Objects.Where(o => state.SideOf(o) != Side.Aside && !o.IsFar).Aggregate(Bounds.Empty, (b, o) => b.Including(o.Mesh.Bounds()));
        if (bounds.IsEmpty && mend.Place != OriginPlace.Point)
            return 0;
        var origin = mend.Place switch
        {
            OriginPlace.BaseCentre => bounds.Centre with { Y = bounds.Min.Y },
            OriginPlace.BoundsCentre => bounds.Centre,
            OriginPlace.Corner => bounds.Min,
            _ => new Vector3((float)mend.X, (float)mend.Y, (float)mend.Z),
        };
        // One point for the whole asset, so its parts stay together.
        return origin == Vector3.Zero ? 0 : Move(mend, state, _ => true, o => o.Mesh with
        {
            Positions = Array.ConvertAll(o.Mesh.Positions, p => p - origin),
            Placement = o.Mesh.Placement.IsIdentity ? o.Mesh.Placement : o.Mesh.Placement * Matrix4x4.CreateTranslation(-origin),
        }, cancel);
    }

    private static int SetSideOf(SetSide mend, IntakeState state)
    {
        int changed = Change(mend, state, o => (o with { ForcedSide = mend.Side }, 1));
        if (mend.Side == Side.Aside)
            changed += state.Strays.RemoveAll(s => mend.IsFor(s.File)
                && (mend.Objects.Count == 0 || mend.Objects.Contains(s.Stray.Name, StringComparer.Ordinal)));
        return changed;
    }

    private static int Merge(MergeMaterials mend, IntakeState state)
    {
        int into = state.Materials.FindIndex(m => m.Name == mend.Into);
        if (into < 0)
            return 0;
        return Change(mend, state, o =>
        {
            if (state.SideOf(o) != Side.Low || Array.TrueForAll(o.Mesh.TriangleMaterials, m => m == into))
                return (o, 0);
            int changed = o.Mesh.TriangleMaterials.Count(m => m != into);
            return (o with { Mesh = o.Mesh with { TriangleMaterials = [.. Enumerable.Repeat(into, o.Mesh.TriangleCount)] } }, changed);
        });
    }

    private static int Use(UseTexture mend, IntakeState state)
    {
        state.Paths[mend.Path] = mend.With;
        return state.Materials.Sum(m => m.Textures.Count(t => t.Path == mend.Path));
    }
}

/// <summary>Mends of many names at once.</summary>
internal static class NameMends
{
    public static int ByPattern(RenameByPattern mend, IntakeState state)
    {
        if (mend.ProblemTogether() is not null)
            return 0;
        Convention from = Convention.Parse(mend.From, []), to = Convention.Parse(mend.To, []);
        int changed = 0;
        var isFor = mend.Chooser();
        for (int i = 0; i < state.Objects.Count; i++)
        {
            var o = state.Objects[i];
            if (!isFor(o) || from.Read(o.Mesh.Name) is not { } fields)
                continue;
            var values = new Dictionary<string, string>(fields)
            {
                ["file"] = Path.GetFileNameWithoutExtension(o.File),
                ["number"] = (changed + 1).ToString(System.Globalization.CultureInfo.InvariantCulture),
            };
            state.Objects[i] = o with { Mesh = o.Mesh with { Name = to.Write(values) is { Length: <= FieldRules.LongestName } name ? name : o.Mesh.Name } };
            changed++;
        }
        return changed;
    }

    public static int NumberEqual(IntakeMend mend, IntakeState state)
    {
        int changed = 0;
        var isFor = mend.Chooser();
        var taken = state.Objects.Select(o => o.Mesh.Name).ToHashSet(StringComparer.Ordinal);
        foreach (var equal in Enumerable.Range(0, state.Objects.Count).Where(i => isFor(state.Objects[i]))
            .GroupBy(i => state.Objects[i].Mesh.Name, StringComparer.Ordinal).Where(g => g.Count() > 1).ToArray())
        {
            int number = 0;
            foreach (int i in equal)
            {
                var o = state.Objects[i];
                string name;
                do
                    name = Numbered(state.Names, o.Mesh.Name, (++number).ToString(System.Globalization.CultureInfo.InvariantCulture));
                while (!taken.Add(name));
                state.Objects[i] = o with { Mesh = o.Mesh with { Name = name } };
                changed++;
            }
        }
        return changed;
    }

    /// <summary>Cleans names; a copy whose clean name is taken keeps its number in the name of its part.</summary>
    public static int Clean(IntakeMend mend, IntakeState state)
    {
        int changed = 0;
        var isFor = mend.Chooser();
        var bearers = state.Objects.GroupBy(o => o.Mesh.Name, StringComparer.Ordinal).ToDictionary(g => g.Key, g => g.Count(), StringComparer.Ordinal);
        for (int i = 0; i < state.Objects.Count; i++)
        {
            var o = state.Objects[i];
            if (!isFor(o) || NameRepair.Look(o.Mesh.Name) == NameOddity.None)
                continue;
            string name = NameRepair.Clean(o.Mesh.Name), copy = NameRepair.CopyNumber(o.Mesh.Name);
            if (copy.Length > 0 && bearers.GetValueOrDefault(name) > 0)
                name = Numbered(state.Names, name, copy);
            if (name == o.Mesh.Name)
                continue;
            bearers[o.Mesh.Name]--;
            bearers[name] = bearers.GetValueOrDefault(name) + 1;
            state.Objects[i] = o with { Mesh = o.Mesh with { Name = name } };
            changed++;
        }
        return changed;
    }

    /// <summary>Gives each object of a list its new name.</summary>
    public static int Pair(PairUp mend, IntakeState state)
    {
        var members = mend.Members.GroupBy(m => (m.File, m.Source)).ToDictionary(g => g.Key, g => g.Last());
        var taken = state.Objects.Where(o => !members.ContainsKey((o.File, o.SourceName))).Select(o => o.Mesh.Name).ToHashSet(StringComparer.Ordinal);
        int changed = 0;
        for (int i = 0; i < state.Objects.Count; i++)
        {
            var o = state.Objects[i];
            if (!members.TryGetValue((o.File, o.SourceName), out var member))
                continue;
            // Where the pattern cannot tell two apart the second keeps its name; it belongs to the part all the same.
            string name = state.Names.WriteFree(mend.Part, member.Side, member.Detail, taken.Contains) ?? o.Mesh.Name;
            taken.Add(name);
            state.Objects[i] = o with { ForcedSide = member.Side, ForcedPart = (mend.Part, member.Detail), Mesh = o.Mesh with { Name = name } };
            changed++;
        }
        return changed;
    }

    public static int Each(RenameEach mend, IntakeState state)
    {
        var wanted = mend.Names.GroupBy(n => (n.File, n.Source)).ToDictionary(g => g.Key, g => g.Last().To);
        int changed = 0;
        for (int i = 0; i < state.Objects.Count; i++)
        {
            var o = state.Objects[i];
            if (!wanted.TryGetValue((o.File, o.SourceName), out string? to) || to.Length == 0 || to == o.Mesh.Name)
                continue;
            state.Objects[i] = o with { Mesh = o.Mesh with { Name = to } };
            changed++;
        }
        return changed;
    }

    private static string Numbered(NameReader names, string name, string number) => names.Read(name) is { } reading
        ? names.Write($"{reading.Part}_{number}", reading.Word, reading.Detail)
        : $"{name}_{number}";
}
