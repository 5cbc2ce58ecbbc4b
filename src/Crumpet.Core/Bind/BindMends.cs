using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Bind;

/// <summary>A mend that decides something about one material.</summary>
/// <param name="Material">Name of the material.</param>
public abstract record MaterialMend([property: Words("The material", FieldRules.LongestName)] string Material) : Mend
{
    /// <summary>What was decided about the material, with the mend.</summary>
    public abstract MaterialPlan Applied(MaterialPlan plan);
}

/// <summary>Puts a texture into an input, whatever its name says.</summary>
/// <param name="Material">Name of the material.</param>
/// <param name="Input">Name of the input.</param>
/// <param name="Texture">The output the texture is made from, or its file where there is none; empty to leave the input empty.</param>
public sealed record PutInto(
    string Material, [property: Words("The input", 60)] string Input,
    [property: Words("The texture", FieldRules.LongestName, MayBeEmpty = true)] string Texture) : MaterialMend(Material)
{
    /// <inheritdoc/>
    public override string Words() => Texture.Length == 0 ? $"Leave {Input} of {Material} empty" : $"Put {Texture} into {Input} of {Material}";

    /// <inheritdoc/>
    public override MaterialPlan Applied(MaterialPlan plan) =>
        plan with { ByHand = Ordered.Changed(plan.ByHand, Input, Texture, false, StringComparer.Ordinal) };
}

/// <summary>Lets names decide again what an input holds.</summary>
/// <param name="Material">Name of the material.</param>
/// <param name="Input">Name of the input.</param>
public sealed record TakeOutOf(string Material, [property: Words("The input", 60)] string Input) : MaterialMend(Material)
{
    /// <inheritdoc/>
    public override string Words() => $"Fill {Input} of {Material} by name";

    /// <inheritdoc/>
    public override MaterialPlan Applied(MaterialPlan plan) => plan with { ByHand = Ordered.Changed(plan.ByHand, Input, "", true, StringComparer.Ordinal) };
}

/// <summary>Switches something of a material on.</summary>
/// <param name="Material">Name of the material.</param>
/// <param name="Trait">What is switched on.</param>
public sealed record OpenTrait(string Material, MaterialTrait Trait) : MaterialMend(Material)
{
    /// <inheritdoc/>
    public override string Words() => $"Switch {Trait.Label} of {Material} on";

    /// <inheritdoc/>
    public override MaterialPlan Applied(MaterialPlan plan) => plan.Traits is { } own ? plan with { Traits = Trait.Says(own) ? own : Trait.With(own) }
        : plan with { Opened = MaterialTrait.Table.Sorted(plan.Opened.Append(Trait)) };
}

/// <summary>Gives a material another model.</summary>
/// <param name="Material">Name of the material.</param>
/// <param name="Model">Name of the model.</param>
public sealed record TakeModel(string Material, [property: Words("The model", 60)] string Model) : MaterialMend(Material)
{
    /// <inheritdoc/>
    public override string Words() => $"Make {Material} a {Model}";

    /// <inheritdoc/>
    public override MaterialPlan Applied(MaterialPlan plan) => plan with { Model = Model };
}

/// <summary>Lets a material take the textures of another asset of the kit, as that binds them, or its own.</summary>
/// <param name="Material">Name of the material.</param>
/// <param name="Asset">Name of the asset; empty for its own.</param>
public sealed record TakeTexturesOf(
    string Material, [property: Words("The asset whose textures a material takes", FieldRules.LongestName, MayBeEmpty = true)] string Asset)
    : MaterialMend(Material)
{
    /// <inheritdoc/>
    public override string Words() => Asset.Length == 0 ? $"Let {Material} take its own textures" : $"Let {Material} take the textures of {Asset}";

    /// <inheritdoc/>
    public override MaterialPlan Applied(MaterialPlan plan) => plan with { TexturesOf = Asset.Length == 0 ? null : Asset };
}

/// <summary>All kinds of mends of this station.</summary>
public static class BindMendKinds
{
    /// <summary>One row a kind.</summary>
    public static IReadOnlyList<MendKind> All { get; } =
    [
        new("putInto", typeof(PutInto)), new("takeOutOf", typeof(TakeOutOf)), new("openTrait", typeof(OpenTrait)), new("takeModel", typeof(TakeModel)),
        new("takeTexturesOf", typeof(TakeTexturesOf)),
    ];
}
