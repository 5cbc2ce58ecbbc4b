using System.Globalization;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Bind;

/// <summary>What is wrong with an asset's bindings.</summary>
public static class BindFindings
{
    /// <summary>One finding for each input that should hold something and does not, each file nothing reads, and what is kept out.</summary>
    /// <param name="report">What binding gave.</param>
    /// <param name="target">What the engine takes.</param>
    public static IEnumerable<Finding> Of(BindReport report, Target target)
    {
        foreach (var material in report.Materials)
        {
            if (material.TexturesOf is { } asset && report.Shared.All(t => t.Asset != asset))
            {
                var own = new TakeTexturesOf(material.Material, "");
                yield return new Finding(Severity.Warn, "shared-textures-missing", material.Material,
                    $"{material.Material} takes the textures of {asset}, and the kit has no such asset with textures; let it take its own, or add {asset}.")
                { Mends = [new(own.Words(), false, own)] };
                continue;
            }
            foreach (var input in material.Inputs.Where(i => !i.IsWell))
                yield return new Finding(Severity.Warn, Code(input.Reason), input.Input.Name, Sentence(material, input, target))
                {
                    Mends = [.. MendsOf(material, input, target).Select((m, i) => new MendOffer(m.Words(), i == 0 && IsSafe(input.Reason, m), m))],
                };
            foreach (var (file, slot, channel) in OutOf(material, target.Mesh))
                yield return new Finding(Severity.Note, "slot-left-out", material.Material,
                    $"{Capital(slot.Label)} of {material.Material} stays out of {target.Mesh.Label}, which reads it from {Colour(channel)}"
                    + $"{(slot == MaterialSlot.Occlusion ? "" : " of one picture for roughness and metalness")}; {file} is delivered beside it. "
                    + "Take a model that packs them, or another mesh format.");
            foreach (var trait in material.LeftOut)
                yield return new Finding(Severity.Note, "trait-left-out", material.Material,
                    $"{Capital(trait.Label)} of {material.Material} is kept out: {target.Name} does not take it.");
        }
        foreach (string file in report.Unread)
            yield return new Finding(Severity.Note, "texture-unbound", file, $"{file} fills no input; nothing reads it.");
    }

    /// <summary>Why an input is empty and what to do, one sentence.</summary>
    public static string Sentence(MaterialBinding material, InputBinding input, Target target) =>
        $"{Capital(input.Input.Name)} of {material.Material} is empty: {Reason(material, input, target)}";

    /// <summary>Why an input holds what it holds, or nothing, without its name.</summary>
    public static string Reason(MaterialBinding material, InputBinding input, Target target)
    {
        string meant = string.Join(" and ", input.Meant.Select(t => t.File)), first = input.Meant.Count > 0 ? input.Meant[0].File : "";
        string model = target.Models.FirstOrDefault(m => m.Inputs.Any(i => i.Name == input.Input.Name))?.Name ?? "";
        return input.Reason switch
        {
            BindReason.Named => "its name is the input's, to the letter.",
            BindReason.Called => "its name says what the input takes.",
            BindReason.ByHand => "it was put here by hand.",
            BindReason.EmptyByHand => "it was emptied by hand.",
            BindReason.NoFile => $"no file is named {input.Wanted}; add one.",
            BindReason.OtherCase => $"{meant} differs from {input.Wanted} in upper and lower case; rename it.",
            BindReason.OtherSeparator => $"{meant} differs from {input.Wanted} in what stands between its words; rename it.",
            BindReason.LetterOff => string.Create(CultureInfo.InvariantCulture,
                $"{first} differs from {input.Wanted} in {input.Distance} {(input.Distance == 1 ? "letter" : "letters")}; rename it if it is meant."),
            BindReason.Closed => $"it is closed; it opens with {string.Join(" or ", input.Input.OpenedBy.Select(t => t.Label))}"
                + $"{(meant.Length > 0 ? $", and {meant} waits for it" : "")}.",
            BindReason.OtherModel => $"{material.Material} is a {material.Model}, which has no such input; {meant} needs a {model}.",
            BindReason.OtherMeaning =>
                $"{first} is read as {Meaning(input.Meant[0].Meaning)}, and it takes {Meaning(input.Input.Meaning)}; say what {first} is.",
            BindReason.ChannelMissing => $"{first} has {Channels(input.Meant[0].Channels)}, and it takes {Channels(input.Input.Channels)}.",
            BindReason.WrongSize =>
                $"{first} is {input.Meant[0].Width} × {input.Meant[0].Height} px, and {target.Name} takes {Sizes(target.Limits)}; convert it.",
            _ => $"{meant} have its name; choose one.",
        };
    }

    /// <summary>What would fill an input, the best first.</summary>
    public static IEnumerable<Mend> MendsOf(MaterialBinding material, InputBinding input, Target target)
    {
        var first = input.Meant.Count > 0 ? input.Meant[0] : null;
        bool isMade = first is not null && first.Known != first.File;
        switch (input.Reason)
        {
            case BindReason.OtherCase or BindReason.OtherSeparator or BindReason.LetterOff when isMade:
                yield return new RenameOutput(first!.Known, input.Input.Map);
                break;
            case BindReason.Closed:
                foreach (var trait in input.Input.OpenedBy)
                    yield return new OpenTrait(material.Material, trait);
                yield break;
            case BindReason.OtherModel:
                foreach (var model in target.Models.Where(m => m.Inputs.Any(i => i.Name == input.Input.Name)))
                    yield return new TakeModel(material.Material, model.Name);
                yield break;
            case BindReason.OtherMeaning when isMade:
                yield return new CallOutput(first!.Known, input.Input.Meaning);
                break;
            case BindReason.NoFile when new AddOutputFor(input.Input.Map, input.Input.Meaning) is var added && added.Made() is not null:
                yield return added;
                break;
            default:
                break;
        }
        foreach (var meant in input.Meant)
            yield return new PutInto(material.Material, input.Input.Name, meant.Known);
        yield return new PutInto(material.Material, input.Input.Name, "");
    }

    /// <summary>What textures would do for a material that the mesh file reads from another channel, or from another picture.</summary>
    private static IEnumerable<(string File, MaterialSlot Slot, int Channel)> OutOf(MaterialBinding material, MeshFormat mesh)
    {
        var fills = material.Inputs.Where(i => i.File is not null).SelectMany(i => i.Input.Fills.Select(f => (File: i.File!, f.Slot, Channel: (int)f.Channel)))
            .Where(f => mesh.Channels.ContainsKey(f.Slot)).ToArray();
        var right = fills.Where(f => f.Channel == mesh.Channels[f.Slot]).ToArray();
        string? shared = right.FirstOrDefault(f => f.Slot == MaterialSlot.Roughness).File;
        return fills.Where(f => !right.Contains(f) || (f.Slot == MaterialSlot.Metalness && shared is not null && f.File != shared))
            .Select(f => (f.File, f.Slot, mesh.Channels[f.Slot]));
    }

    private static string Colour(int channel) => channel switch { 0 => "red", 1 => "green", _ => "blue" };

    // What was named almost alike was meant; to leave an input empty never is.
    private static bool IsSafe(BindReason reason, Mend mend) =>
        mend is not PutInto { Texture: "" } && reason is (BindReason.OtherCase or BindReason.OtherSeparator or BindReason.NoFile);

    private static string Code(BindReason reason) => reason switch
    {
        BindReason.OtherCase => "input-other-case",
        BindReason.OtherSeparator => "input-other-separator",
        BindReason.LetterOff => "input-letter-off",
        BindReason.Closed => "input-closed",
        BindReason.OtherModel => "input-other-model",
        BindReason.OtherMeaning => "input-other-meaning",
        BindReason.ChannelMissing => "input-channel-missing",
        BindReason.WrongSize => "input-wrong-size",
        BindReason.Several => "input-several",
        _ => "input-empty",
    };

    private static string Meaning(ColourMeaning meaning) => meaning switch
    {
        ColourMeaning.Srgb => "colour",
        ColourMeaning.Normal => "normals",
        _ => "plain numbers",
    };

    private static string Channels(int count) => count == 1 ? "one channel" : string.Create(CultureInfo.InvariantCulture, $"{count} channels");

    private static string Sizes(TextureLimits limits) => string.Create(CultureInfo.InvariantCulture,
        $"at most {limits.LargestSide} px{(limits.Square ? ", square" : "")}{(limits.PowerOfTwo ? ", powers of two" : "")}");

    private static string Capital(string text) => char.ToUpperInvariant(text[0]) + text[1..];
}
