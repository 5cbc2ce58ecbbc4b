using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Targets;

/// <summary>A channel of a picture.</summary>
public enum PictureChannel
{
    /// <summary>Red, or grey.</summary>
    R,

    /// <summary>Green.</summary>
    G,

    /// <summary>Blue.</summary>
    B,

    /// <summary>Alpha.</summary>
    A,
}

/// <summary>What a texture in an input does for the material.</summary>
/// <param name="Slot">What it feeds.</param>
/// <param name="Channel">The channel that does; the first of three for slots of three.</param>
public sealed record InputFill(MaterialSlot Slot, PictureChannel Channel = PictureChannel.R);

/// <summary>A texture input of a material.</summary>
/// <param name="Name">Name in the interface.</param>
/// <param name="Map">What stands for <c>{map}</c> in the name of the file that fills it.</param>
/// <param name="Meaning">What it expects the numbers to mean.</param>
public sealed record MaterialInput(
    [property: Words("The name of a material input", 60)] string Name, [property: Words("The map of a material input", 60)] string Map, ColourMeaning Meaning)
{
    private const int MostNames = 16, MostFills = 8;

    /// <summary>Further words that stand for <c>{map}</c> in names that are read.</summary>
    [Words("Another map of a material input", 60), AtMost(MostNames)]
    public IReadOnlyList<string> Also { get; init; } = [];

    /// <summary>Channels a file must have at least.</summary>
    [Within("The channels of a material input", 1, 4)]
    public int Channels { get; init; } = 1;

    /// <summary>Whether the material is not whole without it.</summary>
    public bool Needed { get; init; }

    /// <summary>Traits of the material of which one must be switched on before the input is read; none where it always is.</summary>
    [AtMost(MostFills)]
    public IReadOnlyList<MaterialTrait> OpenedBy { get; init; } = [];

    /// <summary>What the texture does for the material of the mesh file; none where it only lies beside.</summary>
    [AtMost(MostFills)]
    public IReadOnlyList<InputFill> Fills { get; init; } = [];

    /// <summary>All words that stand for <c>{map}</c>, the one that is written first.</summary>
    public IEnumerable<string> Maps() => Also.Prepend(Map);

    /// <summary>Whether a material with these traits reads it.</summary>
    public bool IsOpen(MaterialTraits traits) => OpenedBy.Count == 0 || OpenedBy.Any(t => t.Says(traits));

    /// <inheritdoc/>
    public bool Equals(MaterialInput? other) => other is not null
        && (Name, Map, Meaning, Channels, Needed) == (other.Name, other.Map, other.Meaning, other.Channels, other.Needed)
        && Also.SequenceEqual(other.Also) && OpenedBy.SequenceEqual(other.OpenedBy) && Fills.SequenceEqual(other.Fills);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Name, Map, Meaning, Needed);
}

/// <summary>A material an engine has, with its inputs.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Inputs">Texture inputs, in the order they are shown.</param>
public sealed record MaterialModel(
    [property: Words("The name of a material model", 60)] string Name,
    [property: AtMost(MaterialModel.MostInputs)] IReadOnlyList<MaterialInput> Inputs) : IChecked
{
    private const int MostInputs = 32;

    /// <summary>What its materials can say beside colour, roughness and metalness.</summary>
    [AtMost(MostInputs)]
    public IReadOnlyList<MaterialTrait> Takes { get; init; } = [];

    /// <inheritdoc/>
    public string? ProblemTogether() =>
        Inputs.SelectMany(i => i.Maps().Select(m => (Input: i, Map: m))).GroupBy(i => i.Map, StringComparer.Ordinal)
            .FirstOrDefault(g => g.Count() > 1) is { } twice
            ? $"The material model {Name} has two inputs for {twice.Key}; leave one out."
        : Inputs.SelectMany(i => i.Fills).GroupBy(f => f.Slot).FirstOrDefault(g => g.Count() > 1) is { } both
            ? $"Two inputs of the material model {Name} feed its {both.Key.Label}; leave one out."
        : Inputs.SelectMany(i => i.OpenedBy).FirstOrDefault(t => !Takes.Contains(t)) is { } never
            ? $"An input of the material model {Name} is opened by {never.Label}, which the model does not take; let it take that, or open the input otherwise."
        : null;

    /// <inheritdoc/>
    public bool Equals(MaterialModel? other) =>
        other is not null && Name == other.Name && Inputs.SequenceEqual(other.Inputs) && Takes.SequenceEqual(other.Takes);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Name, Inputs.Count, Takes.Count);
}
