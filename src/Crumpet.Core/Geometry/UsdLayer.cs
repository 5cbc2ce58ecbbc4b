namespace Crumpet.Core.Geometry;

/// <summary>How a layer states a prim.</summary>
internal enum UsdSpecifier
{
    /// <summary>Says more of a prim that another layer states.</summary>
    Over,

    /// <summary>States it.</summary>
    Def,

    /// <summary>States what others inherit; it is not there itself.</summary>
    Class,
}

/// <summary>Another prim, here or in another layer.</summary>
/// <param name="Asset">Path of the layer as it is written; empty for the same.</param>
/// <param name="Path">Path of the prim; empty for the layer's default.</param>
internal readonly record struct UsdTarget(string Asset, string Path);

/// <summary>A value: one item or an array of them, which are numbers (<see cref="Width"/> an item), words or targets.</summary>
internal sealed record UsdValue
{
    /// <summary>Numbers, item after item; true and false are 1 and 0.</summary>
    public double[] Numbers { get; init; } = [];

    /// <summary>Numbers of an item.</summary>
    public int Width { get; init; } = 1;

    /// <summary>Strings, tokens and asset paths.</summary>
    public IReadOnlyList<string> Words { get; init; } = [];

    /// <summary>Targets of relationships, references and connections.</summary>
    public IReadOnlyList<UsdTarget> Targets { get; init; } = [];

    /// <summary>How many items there are.</summary>
    public int Count => Numbers.Length > 0 ? Numbers.Length / Width : Words.Count;

    /// <summary>The first word, or null.</summary>
    public string? Word => Words.Count > 0 ? Words[0] : null;

    /// <summary>The first number, or null.</summary>
    public double? Number => Numbers.Length > 0 ? Numbers[0] : null;
}

/// <summary>An attribute or a relationship.</summary>
internal sealed class UsdProperty
{
    /// <summary>Type as the layer writes it, without brackets; empty where it is not said.</summary>
    public string Type { get; set; } = "";

    /// <summary>Its value, or null.</summary>
    public UsdValue? Value { get; set; }

    /// <summary>Its value at the first time that has one, or null.</summary>
    public UsdValue? FirstSample { get; set; }

    /// <summary>What a relationship points to, or an attribute is connected to; null where nothing is said.</summary>
    public IReadOnlyList<UsdTarget>? Targets { get; set; }

    /// <summary>What is said of it in brackets.</summary>
    public Dictionary<string, UsdValue> Metadata { get; } = new(StringComparer.Ordinal);

    /// <summary>The value to read: by itself, or at the first time.</summary>
    public UsdValue? Given => Value ?? FirstSample;
}

/// <summary>A prim as one layer states it, or as all of them together do.</summary>
internal sealed class UsdPrim(string name)
{
    private readonly Dictionary<string, UsdPrim> byName = new(StringComparer.Ordinal);
    private readonly List<UsdPrim> children = [];

    /// <summary>Its name below its parent.</summary>
    public string Name => name;

    /// <summary>How it is stated.</summary>
    public UsdSpecifier Specifier { get; set; }

    /// <summary>Schema, such as Mesh; empty where it is not said.</summary>
    public string Type { get; set; } = "";

    /// <summary>Attributes and relationships by their names, in order.</summary>
    public OrderedDictionary<string, UsdProperty> Properties { get; } = new(StringComparer.Ordinal);

    /// <summary>What is said of it in brackets.</summary>
    public Dictionary<string, UsdValue> Metadata { get; } = new(StringComparer.Ordinal);

    /// <summary>Variant that is chosen of each set.</summary>
    public Dictionary<string, string> Chosen { get; } = new(StringComparer.Ordinal);

    /// <summary>What each variant of each set adds.</summary>
    public Dictionary<string, Dictionary<string, UsdPrim>> Variants { get; } = new(StringComparer.Ordinal);

    /// <summary>Prims below it, in order.</summary>
    public IReadOnlyList<UsdPrim> Children => children;

    /// <summary>The prim of a name below it, or null.</summary>
    public UsdPrim? Child(string of) => byName.GetValueOrDefault(of);

    /// <summary>Puts a prim below it; one of that name is replaced.</summary>
    public void Add(UsdPrim child)
    {
        if (byName.TryGetValue(child.Name, out var former))
            children[children.IndexOf(former)] = child;
        else
            children.Add(child);
        byName[child.Name] = child;
    }

    /// <summary>Brings the prims below it into an order; those it does not name come last, as they were.</summary>
    public void Sort(IReadOnlyList<string> names)
    {
        var places = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (string name in names)
            places.TryAdd(name, places.Count);
        var sorted = children.OrderBy(c => places.GetValueOrDefault(c.Name, int.MaxValue)).ToArray();
        children.Clear();
        children.AddRange(sorted);
    }

    /// <summary>The property of a name; made where it is not there.</summary>
    public UsdProperty Property(string of)
    {
        if (!Properties.TryGetValue(of, out var property))
            Properties.Add(of, property = new UsdProperty());
        return property;
    }

    /// <summary>The value of an attribute, or null.</summary>
    public UsdValue? Value(string of) => Properties.TryGetValue(of, out var property) ? property.Given : null;

    /// <summary>The prim at a path such as <c>/World/Rotor</c> below this one, or null.</summary>
    public UsdPrim? At(string path)
    {
        UsdPrim? found = this;
        foreach (string part in path.Split('/', StringSplitOptions.RemoveEmptyEntries))
            found = found?.Child(part);
        return found;
    }
}
