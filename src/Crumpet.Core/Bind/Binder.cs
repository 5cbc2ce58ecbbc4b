using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Bind;

/// <summary>A texture file waiting to be bound.</summary>
/// <param name="File">File name with its ending.</param>
/// <param name="Meaning">What its numbers mean, as it is flagged.</param>
/// <param name="Format">How it is stored.</param>
public sealed record BindTexture(string File, ColourMeaning Meaning, TextureFormat Format);

/// <summary>A slot and what fills it.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="File">File bound to it, or null.</param>
/// <param name="Reason">Why it is empty, one sentence, or null.</param>
public sealed record SlotBinding(MaterialInput Slot, string? File, string? Reason);

/// <summary>Fills the material's slots by reading file names.</summary>
public static class Binder
{
    /// <summary>The pattern a kit starts with.</summary>
    public const string DefaultPattern = "{asset}_{map}";

    /// <summary>Binds files to slots. Names must agree to the letter.</summary>
    /// <param name="asset">What stands for <c>{asset}</c>.</param>
    /// <param name="pattern">Pattern with <c>{asset}</c> and <c>{map}</c>.</param>
    /// <param name="inputs">What the target's material takes.</param>
    /// <param name="textures">Files that are there.</param>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static (IReadOnlyList<SlotBinding> Slots, IReadOnlyList<Finding> Findings) Bind(string asset, string pattern, IReadOnlyList<MaterialInput> inputs, IReadOnlyList<BindTexture> textures)
    {
        var convention = Convention.Parse(pattern, ["asset", "map"]);
        var bindings = inputs.Select(slot => Fill(slot, asset, convention, textures)).ToArray();
        var findings = bindings.Where(b => b.Reason is not null)
            .Select(b => new Finding(Severity.Warn, "slot-empty", b.Slot.Name, $"The slot {b.Slot.Name} is empty: {b.Reason}")).ToList();
        findings.AddRange(textures.Where(t => bindings.All(b => b.File != t.File))
            .Select(t => new Finding(Severity.Note, "texture-unbound", t.File, $"{t.File} fills no slot; it is delivered unbound.")));
        return (bindings, Finding.Sorted(findings));
    }

    private static SlotBinding Fill(MaterialInput slot, string asset, Convention convention, IReadOnlyList<BindTexture> textures)
    {
        string wanted = convention.Write(new Dictionary<string, string> { ["asset"] = asset, ["map"] = slot.Map });
        var exact = textures.FirstOrDefault(t => Path.GetFileNameWithoutExtension(t.File) == wanted);
        if (exact is null)
        {
            var near = textures.FirstOrDefault(t => string.Equals(Path.GetFileNameWithoutExtension(t.File), wanted, StringComparison.OrdinalIgnoreCase));
            return new SlotBinding(slot, null, near is null ? $"no file is named {wanted}; add an output named {slot.Map} to the recipe." : $"{near.File} differs from {wanted} only in upper and lower case; rename it.");
        }
        if (exact.Meaning != slot.Meaning)
            return new SlotBinding(slot, null, $"{exact.File} is flagged as {exact.Meaning.ToString().ToLowerInvariant()}, the slot wants {slot.Meaning.ToString().ToLowerInvariant()}; change the output's meaning.");
        return new SlotBinding(slot, exact.File, null);
    }
}
