using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>One texture that shares a budget.</summary>
/// <param name="Choices">Ways to store it.</param>
/// <param name="Weight">What an error of it counts, relative to the others.</param>
public sealed record BudgetTexture(IReadOnlyList<TextureChoice> Choices, double Weight)
{
    // What the eye sees: colour and normals before masks.
    private const double OfColour = 1, OfNormals = 1, OfData = 0.35;

    /// <summary>What an error counts: by meaning, and by how much of the asset the texture covers.</summary>
    /// <param name="meaning">What the numbers mean.</param>
    /// <param name="texels">Texels of its picture.</param>
    public static double WeightOf(ColourMeaning meaning, long texels) =>
        texels * (meaning switch { ColourMeaning.Srgb => OfColour, ColourMeaning.Normal => OfNormals, _ => OfData });
}

/// <summary>What meets a budget.</summary>
/// <param name="Chosen">For each texture the way it is stored.</param>
/// <param name="Bytes">Memory they take together.</param>
/// <param name="Error">Weighted error they have together.</param>
public sealed record BudgetPlan(IReadOnlyList<TextureChoice> Chosen, long Bytes, double Error);

/// <summary>Chooses how textures are stored so that they fit into a memory with the least weighted error.</summary>
public static class MemoryBudget
{
    /// <summary>Combinations that are kept at once. Where more of them are unbeaten, as with dozens of textures, they are thinned evenly by memory.</summary>
    public const int MostKept = 20_000;

    /// <summary>The least-error choice that fits: of all combinations those are kept that no other beats in both memory and error; exactly, up to
    /// <see cref="MostKept"/> of them.</summary>
    /// <param name="textures">The textures.</param>
    /// <param name="bytes">Memory they may take.</param>
    /// <returns>The choice, or null where even the smallest does not fit.</returns>
    public static BudgetPlan? Meet(IReadOnlyList<BudgetTexture> textures, long bytes)
    {
        // What the textures that follow take at least leaves so much for those before.
        long rest = textures.Sum(t => t.Choices.Min(c => c.Bytes));
        var front = new List<Node> { new(0, 0, null, null) };
        foreach (var texture in textures)
        {
            rest -= texture.Choices.Min(c => c.Bytes);
            var all = new List<Node>();
            foreach (var node in front)
                foreach (var choice in texture.Choices)
                    if (node.Bytes + choice.Bytes + rest <= bytes)
                        all.Add(new Node(node.Bytes + choice.Bytes, node.Error + choice.Error * texture.Weight, node, choice));
            front = Unbeaten(all);
            if (front.Count == 0)
                return null;
        }
        var last = front[^1];
        var chosen = new List<TextureChoice>();
        for (var node = last; node.Choice is not null; node = node.Before!)
            chosen.Add(node.Choice);
        chosen.Reverse();
        return new BudgetPlan(chosen, last.Bytes, last.Error);
    }

    // By memory rising, and of those only what has less error than all before.
    private static List<Node> Unbeaten(List<Node> all)
    {
        var front = new List<Node>();
        foreach (var node in all.OrderBy(n => n.Bytes).ThenBy(n => n.Error))
            if (front.Count == 0 || node.Error < front[^1].Error)
                front.Add(node);
        if (front.Count <= MostKept)
            return front;
        // The one that takes least stays, so that what can be met is met; the one with least error too.
        return [.. Enumerable.Range(0, MostKept).Select(i => front[(int)((long)i * (front.Count - 1) / (MostKept - 1))])];
    }

    private sealed record Node(long Bytes, double Error, Node? Before, TextureChoice? Choice);
}
