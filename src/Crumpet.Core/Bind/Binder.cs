using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Bind;

/// <summary>A texture file waiting to be bound.</summary>
/// <param name="File">File name with its ending.</param>
/// <param name="Meaning">What its numbers mean, as it is flagged.</param>
/// <param name="Format">How it is stored.</param>
public sealed record BindTexture(string File, ColourMeaning Meaning, TextureFormat Format);

/// <summary>Why a slot is empty.</summary>
public enum SlotGap
{
    /// <summary>It is not.</summary>
    None,

    /// <summary>No file has the name.</summary>
    NoFile,

    /// <summary>A file's name differs in upper and lower case alone.</summary>
    OtherCase,

    /// <summary>The file of that name means something else.</summary>
    OtherMeaning,
}

/// <summary>A slot and what fills it.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="File">File bound to it, or null.</param>
/// <param name="Gap">Why it is empty.</param>
/// <param name="Wanted">Name the file would have, without an ending.</param>
/// <param name="Near">The texture that comes nearest, or null.</param>
public sealed record SlotBinding(MaterialInput Slot, string? File, SlotGap Gap, string Wanted, BindTexture? Near);

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
    /// <returns>One a slot, in the order of the inputs.</returns>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static IReadOnlyList<SlotBinding> Bind(string asset, string pattern, IReadOnlyList<MaterialInput> inputs, IReadOnlyList<BindTexture> textures)
    {
        var convention = Convention.Parse(pattern, ["asset", "map"]);
        return [.. inputs.Select(slot => Fill(slot, convention.Write(new Dictionary<string, string> { ["asset"] = asset, ["map"] = slot.Map }), textures))];
    }

    private static SlotBinding Fill(MaterialInput slot, string wanted, IReadOnlyList<BindTexture> textures)
    {
        var exact = textures.FirstOrDefault(t => Path.GetFileNameWithoutExtension(t.File) == wanted);
        if (exact is not null)
            return exact.Meaning == slot.Meaning ? new SlotBinding(slot, exact.File, SlotGap.None, wanted, null)
                : new SlotBinding(slot, null, SlotGap.OtherMeaning, wanted, exact);
        var near = textures.FirstOrDefault(t => string.Equals(Path.GetFileNameWithoutExtension(t.File), wanted, StringComparison.OrdinalIgnoreCase));
        return new SlotBinding(slot, null, near is null ? SlotGap.NoFile : SlotGap.OtherCase, wanted, near);
    }
}
