using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>What a source says of a material.</summary>
/// <param name="File">The source.</param>
/// <param name="BaseColour">Linear RGBA.</param>
/// <param name="Roughness">0 to 1.</param>
/// <param name="Metalness">0 to 1.</param>
/// <param name="Textures">Pictures it asks for, as <c>slot path</c>.</param>
internal sealed record MaterialSaid(string File, float[] BaseColour, float Roughness, float Metalness, IReadOnlyList<string> Textures)
{
    public static MaterialSaid Of(Material material, string file) => new(file, [.. Enumerable.Range(0, 4).Select(i => material.BaseColour[i])],
        material.Roughness, material.Metalness, [.. material.Textures.Select(t => $"{TextureWords.Of(t.Slot)} {t.Path}")]);
}

/// <summary>A material whose name several files use for different things.</summary>
/// <param name="Name">The name.</param>
/// <param name="Said">What each of them says; the first counts.</param>
internal sealed record NamesakesFact(string Name, IReadOnlyList<MaterialSaid> Said);

/// <summary>A material that was renamed as its file has another one of the name.</summary>
internal sealed record RenamedMaterialFact(string File, string Name, string NewName);

/// <summary>
/// Sees to it that a name is one material. The two sides keep what they say apart: what the high side looks like is baked, what the low
/// side says is delivered.
/// </summary>
internal static class MaterialNames
{
    /// <summary>A name no material has, in any case.</summary>
    public static string Free(IReadOnlyList<Material> materials, string name)
    {
        for (int number = 2; ; number++)
        {
            string numbered = $"{name}_{number}";
            if (materials.All(m => !string.Equals(m.Name, numbered, StringComparison.OrdinalIgnoreCase)))
                return numbered;
        }
    }

    /// <summary>Gives all but the first of one name names of their own.</summary>
    /// <returns>How many were renamed.</returns>
    public static int KeepApart(KeepMaterialsApart mend, IntakeState state)
    {
        int[] others = [.. GroupsOf(state).Where(g => g.Name == mend.Material).SelectMany(g => g.Uses.Skip(1)).Select(u => u.Material).Distinct()];
        foreach (int other in others)
            state.Materials[other] = state.Materials[other] with { Name = Free(state.Materials, mend.Material) };
        return others.Length;
    }

    /// <summary>Settles that the first of one name counts.</summary>
    /// <returns>How many others there are.</returns>
    public static int TakeFirst(TakeFirstMaterial mend, IntakeState state)
    {
        state.SettledMaterials.Add(mend.Material);
        return GroupsOf(state).Where(g => g.Name == mend.Material).Sum(g => g.Uses.Count - 1);
    }

    /// <summary>Makes materials of one name one.</summary>
    /// <returns>Those that say different things and of which nothing was settled.</returns>
    public static IReadOnlyList<NamesakesFact> Unify(IntakeState state)
    {
        var facts = new List<NamesakesFact>();
        var becomes = new Dictionary<(bool IsLow, int Material), int>();
        foreach (var group in GroupsOf(state).Where(g => g.Uses.Count > 1))
        {
            // A name alone, as a mesh without its library gives it, says nothing that another file could contradict.
            Use[] telling = [.. group.Uses.Where(u => !IsBare(state.Materials[u.Material]))];
            int told = (telling.Length > 0 ? telling : [.. group.Uses])[0].Material;
            foreach (var use in group.Uses)
                becomes[(group.IsLow, use.Material)] = told;
            if (telling.Length > 1 && !state.SettledMaterials.Contains(group.Name))
                facts.Add(new NamesakesFact(group.Name, [.. telling.Select(u => MaterialSaid.Of(state.Materials[u.Material], u.File))]));
        }
        if (becomes.Count > 0)
            Renumber(state, becomes);
        return facts;
    }

    private static void Renumber(IntakeState state, Dictionary<(bool IsLow, int Material), int> becomes)
    {
        for (int i = 0; i < state.Objects.Count; i++)
        {
            var o = state.Objects[i];
            bool isLow = state.SideOf(o) == Side.Low;
            if (o.Mesh.TriangleMaterials.Any(m => becomes.GetValueOrDefault((isLow, m), m) != m))
                state.Objects[i] = With(o, m => becomes.GetValueOrDefault((isLow, m), m));
        }
        var used = state.Objects.SelectMany(o => o.Mesh.TriangleMaterials).ToHashSet();
        int[] kept = [.. Enumerable.Range(0, state.Materials.Count).Where(m => used.Contains(m) || becomes.Keys.All(k => k.Material != m))];
        var numbers = kept.Select((m, number) => (m, number)).ToDictionary(p => p.m, p => p.number);
        for (int i = 0; i < state.Objects.Count; i++)
            state.Objects[i] = With(state.Objects[i], m => m < 0 ? m : numbers[m]);
        Material[] left = [.. kept.Select(m => state.Materials[m])];
        state.Materials.Clear();
        state.Materials.AddRange(left);
    }

    private static IntakeObject With(IntakeObject o, Converter<int, int> number) =>
        o with { Mesh = o.Mesh with { TriangleMaterials = Array.ConvertAll(o.Mesh.TriangleMaterials, number) } };

    private sealed record Use(int Material, string File);

    private sealed record Group(bool IsLow, string Name, IReadOnlyList<Use> Uses);

    /// <summary>Materials by side and name, in the order in which objects use them.</summary>
    private static List<Group> GroupsOf(IntakeState state)
    {
        var seen = new HashSet<(bool, int)>();
        var groups = new Dictionary<(bool IsLow, string Name), List<Use>>();
        foreach (var o in state.Objects)
        {
            bool isLow = state.SideOf(o) == Side.Low;
            foreach (int material in o.Mesh.TriangleMaterials.Distinct().Order())
            {
                if (material < 0 || !seen.Add((isLow, material)))
                    continue;
                var key = (isLow, state.Materials[material].Name);
                if (!groups.TryGetValue(key, out var uses))
                    groups.Add(key, uses = []);
                uses.Add(new Use(material, o.File));
            }
        }
        return [.. groups.Select(g => new Group(g.Key.IsLow, g.Key.Name, g.Value))];
    }

    private static bool IsBare(Material material) => material.SaysTheSameAs(Material.Plain with { Name = material.Name });
}
