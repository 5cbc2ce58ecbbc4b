using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Bind;

/// <summary>What was decided about one material.</summary>
public sealed record MaterialPlan
{
    /// <summary>Name of its model; null for the one that its textures fill best.</summary>
    [Words("The model of a material", 60)]
    public string? Model { get; init; }

    /// <summary>Name of the asset of the kit whose textures it takes, as that binds them; null for its own.</summary>
    [Words("The asset whose textures a material takes", FieldRules.LongestName)]
    public string? TexturesOf { get; init; }

    /// <summary>What it says beside colour, roughness and metalness; null for what its source says.</summary>
    public MaterialTraits? Traits { get; init; }

    /// <summary>What is switched on, whatever its source says.</summary>
    [AtMost(16)]
    public IReadOnlyList<MaterialTrait> Opened { get; init; } = [];

    /// <summary>Outputs by the names of inputs that they were put into by hand; empty for inputs that stay empty.</summary>
    [Words("What is put into an input", FieldRules.LongestName, MayBeEmpty = true), AtMost(64)]
    public IReadOnlyDictionary<string, string> ByHand { get; init; } = new Dictionary<string, string>();

    /// <summary>What a material says with these decisions.</summary>
    /// <param name="source">What its source says.</param>
    public MaterialTraits Over(MaterialTraits source) =>
        Opened.Aggregate(Traits ?? source, (traits, opened) => opened.Says(traits) ? traits : opened.With(traits));

    /// <inheritdoc/>
    public bool Equals(MaterialPlan? other) => other is not null && (Model, TexturesOf, Traits) == (other.Model, other.TexturesOf, other.Traits)
        && Opened.SequenceEqual(other.Opened) && ByHand.Count == other.ByHand.Count
        && ByHand.All(p => other.ByHand.TryGetValue(p.Key, out string? value) && value == p.Value);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Model, TexturesOf, Traits, Opened.Count, ByHand.Count);
}
