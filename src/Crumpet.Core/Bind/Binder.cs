using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Bind;

/// <summary>A texture waiting to be bound.</summary>
/// <param name="File">File name with its ending.</param>
/// <param name="Meaning">What its numbers mean, as it is flagged.</param>
/// <param name="Channels">Channels it has.</param>
public sealed record BindTexture(string File, ColourMeaning Meaning, int Channels)
{
    /// <summary>Pixels; 0 where that is not known.</summary>
    public int Width { get; init; }

    /// <summary>Pixels; 0 where that is not known.</summary>
    public int Height { get; init; }

    /// <summary>What decisions call it: the output it was made from; its own name where there is none.</summary>
    public string Known { get; init; } = File;

    /// <summary>Name without ending.</summary>
    public string Stem => Path.GetFileNameWithoutExtension(File);
}

/// <summary>A material waiting for textures.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Keys">What may stand for <c>{asset}</c> in names of its textures, the one that is written first.</param>
public sealed record BindMaterial(string Name, IReadOnlyList<string> Keys)
{
    /// <summary>What it says beside colour, roughness and metalness.</summary>
    public MaterialTraits Traits { get; init; } = MaterialTraits.Plain;

    /// <summary>Name of its model; null for the one that its textures fill best.</summary>
    public string? Model { get; init; }

    /// <summary>Textures by the names of inputs that they were put into by hand, as <see cref="BindTexture.Known"/> has them; empty for none.</summary>
    public IReadOnlyDictionary<string, string> ByHand { get; init; } = new Dictionary<string, string>();
}

/// <summary>Why an input holds what it holds, or nothing.</summary>
public enum BindReason
{
    /// <summary>The file's name is the input's, to the letter.</summary>
    Named,

    /// <summary>The file's name says, in other words, what the input takes.</summary>
    Called,

    /// <summary>It was put there by hand.</summary>
    ByHand,

    /// <summary>It was emptied by hand.</summary>
    EmptyByHand,

    /// <summary>No file has a name like it.</summary>
    NoFile,

    /// <summary>A file's name differs in upper and lower case.</summary>
    OtherCase,

    /// <summary>A file's name differs in what stands between its words.</summary>
    OtherSeparator,

    /// <summary>A file's name differs in a letter or two.</summary>
    LetterOff,

    /// <summary>The material has the input switched off.</summary>
    Closed,

    /// <summary>Another model of the target has the input, this one does not.</summary>
    OtherModel,

    /// <summary>The file means something else.</summary>
    OtherMeaning,

    /// <summary>The file has too few channels.</summary>
    ChannelMissing,

    /// <summary>The file has sides the target does not take.</summary>
    WrongSize,

    /// <summary>Several files have the name.</summary>
    Several,
}

/// <summary>An input and what it holds.</summary>
/// <param name="Input">The input.</param>
/// <param name="File">File bound to it, or null.</param>
/// <param name="Reason">Why it holds it, or nothing.</param>
/// <param name="Wanted">Name the file would have, without an ending.</param>
/// <param name="Meant">Files that were meant where it is empty, the nearest first.</param>
public sealed record InputBinding(MaterialInput Input, string? File, BindReason Reason, string Wanted, IReadOnlyList<BindTexture> Meant)
{
    /// <summary>Letters by which the nearest file's name differs.</summary>
    public int Distance { get; init; }

    /// <summary>Whether nothing is wrong: it is filled, was emptied by hand, or is closed and nothing was meant for it.</summary>
    public bool IsWell => File is not null || Reason == BindReason.EmptyByHand || (Meant.Count == 0 && (Reason == BindReason.Closed || !Input.Needed));
}

/// <summary>A material with its inputs.</summary>
/// <param name="Material">Its name.</param>
/// <param name="Model">Name of its model.</param>
/// <param name="Inputs">Inputs and what they hold, in the order of the model; those of other models that a file was meant for last.</param>
public sealed record MaterialBinding(string Material, string Model, IReadOnlyList<InputBinding> Inputs)
{
    /// <summary>What the material says, as far as the target takes it.</summary>
    public MaterialTraits Traits { get; init; } = MaterialTraits.Plain;

    /// <summary>Name of the asset whose textures it takes; null for its own.</summary>
    public string? TexturesOf { get; init; }

    /// <summary>What it says that the target does not take.</summary>
    public IReadOnlyList<MaterialTrait> LeftOut { get; init; } = [];
}

/// <summary>What binding gave.</summary>
/// <param name="Materials">One a material.</param>
/// <param name="Unread">Files that nothing reads.</param>
public sealed record BindReport(IReadOnlyList<MaterialBinding> Materials, IReadOnlyList<string> Unread)
{
    /// <summary>Textures that are other assets'.</summary>
    public IReadOnlyList<SharedTexture> Shared { get; init; } = [];
}

/// <summary>A texture of another asset of the kit that a material takes.</summary>
/// <param name="Asset">Name of the other asset.</param>
/// <param name="File">Name of its file.</param>
/// <param name="Picture">Name of the picture it was made from.</param>
/// <param name="Channels">Channels its format has.</param>
public sealed record SharedTexture(string Asset, string File, string Picture, int Channels);

/// <summary>What binding goes by.</summary>
/// <param name="Pattern">Pattern with <c>{map}</c>, and with <c>{asset}</c> or <c>{material}</c>; several side by side with bars between.</param>
/// <param name="Models">Material models of the target, the usual one first.</param>
/// <param name="Takes">What materials can say in its files.</param>
/// <param name="Limits">What textures are held to; null where what is bound was made to fit.</param>
public sealed record BindRules(string Pattern, IReadOnlyList<MaterialModel> Models, IReadOnlyList<MaterialTrait> Takes, TextureLimits? Limits = null)
{
    /// <summary>The rules of a target.</summary>
    public static BindRules Of(string pattern, Target target) => new(pattern, target.Models, target.Traits);
}

/// <summary>Fills materials' inputs by reading file names.</summary>
public static class Binder
{
    /// <summary>The pattern a kit starts with.</summary>
    public const string DefaultPattern = "{asset}_{map}";

    /// <summary>The field of a pattern that says which input is meant.</summary>
    public const string MapField = "map";

    // The field that a material's keys stand for, and those that its own name does.
    internal const string AssetField = "asset";
    internal static readonly string[] MaterialFields = ["material", "sheet"];

    /// <summary>Binds files to inputs.</summary>
    /// <param name="rules">What it goes by.</param>
    /// <param name="materials">Materials.</param>
    /// <param name="textures">Files that are there.</param>
    /// <exception cref="FormatException">One sentence: what is wrong with the pattern.</exception>
    public static BindReport Bind(BindRules rules, IReadOnlyList<BindMaterial> materials, IReadOnlyList<BindTexture> textures)
    {
        Convention.Parse(rules.Pattern, [MapField]);
        var bound = materials.Select(m => Bind(rules, m, textures)).ToArray();
        var used = bound.SelectMany(b => b.Inputs).SelectMany(i => i.Meant.Select(t => t.File).Append(i.File)).ToHashSet();
        return new BindReport(bound, [.. textures.Select(t => t.File).Where(f => !used.Contains(f))]);
    }

    private static MaterialBinding Bind(BindRules rules, BindMaterial material, IReadOnlyList<BindTexture> textures)
    {
        var tries = (rules.Models.FirstOrDefault(m => m.Name == material.Model) is { } own ? [own] : rules.Models)
            .Select(m => Bind(rules, m, material, textures)).ToArray();
        // The model that textures fill best; of equals the one the target has first.
        return tries.MaxBy(b => (b.Inputs.All(i => !i.Input.Needed || i.File is not null), b.Inputs.Count(i => i.File is not null)))!;
    }

    private static MaterialBinding Bind(BindRules rules, MaterialModel model, BindMaterial material, IReadOnlyList<BindTexture> textures)
    {
        MaterialTrait[] taken = [.. model.Takes.Where(rules.Takes.Contains)];
        var traits = MaterialTrait.Only(material.Traits, taken);
        var names = new InputNames(rules.Pattern, material);
        var exact = model.Inputs.Select(i => names.Exact(i, textures)).ToArray();
        var claimed = exact.SelectMany(e => e.Files).Select(t => t.File)
            .Concat(material.ByHand.Values.Select(k => textures.FirstOrDefault(t => t.Known == k)?.File).OfType<string>()).ToHashSet(StringComparer.Ordinal);
        BindTexture[] left = [.. textures.Where(t => !claimed.Contains(t.File))];
        var inputs = model.Inputs.Select((input, i) => Fill(input, exact[i])).ToList();
        var free = left.Where(t => !inputs.SelectMany(i => i.Meant).Contains(t)).ToArray();
        var others = rules.Models.Where(m => m != model).SelectMany(m => m.Inputs).Where(i => model.Inputs.All(own => own.Name != i.Name))
            .DistinctBy(i => i.Name);
        foreach (var other in others)
        {
            if (names.Exact(other, free) is { Files.Count: > 0 } found)
                inputs.Add(new InputBinding(other, null, BindReason.OtherModel, names.Wanted(other), found.Files));
        }
        return new MaterialBinding(material.Name, model.Name, inputs)
        {
            Traits = traits,
            LeftOut = [.. MaterialTrait.Table.All.Where(t => !taken.Contains(t) && t.Says(material.Traits))],
        };

        InputBinding Fill(MaterialInput input, (IReadOnlyList<BindTexture> Files, BindReason Reason) found)
        {
            string wanted = names.Wanted(input);
            if (material.ByHand.TryGetValue(input.Name, out string? hand))
            {
                if (hand.Length == 0)
                    return new InputBinding(input, null, BindReason.EmptyByHand, wanted, []);
                if (textures.FirstOrDefault(t => t.Known == hand) is { } put)
                    return new InputBinding(input, put.File, BindReason.ByHand, wanted, []);
            }
            if (found.Files.Count == 0)
            {
                var (near, reason, distance) = names.Near(input, left);
                bool isClosed = !input.IsOpen(traits);
                return new InputBinding(input, null, isClosed ? BindReason.Closed : reason, wanted, near) { Distance = distance };
            }
            var file = found.Files[0];
            var wrong = !input.IsOpen(traits) ? BindReason.Closed : found.Files.Count > 1 ? BindReason.Several : Wrong(input, file, rules.Limits);
            return wrong is { } why ? new InputBinding(input, null, why, wanted, found.Files) : new InputBinding(input, file.File, found.Reason, wanted, []);
        }
    }

    private static BindReason? Wrong(MaterialInput input, BindTexture file, TextureLimits? limits) =>
        file.Meaning != input.Meaning ? BindReason.OtherMeaning
        : file.Channels < input.Channels ? BindReason.ChannelMissing
        : limits is not null && file.Width > 0 && !Fits(file, limits) ? BindReason.WrongSize
        : null;

    private static bool Fits(BindTexture file, TextureLimits limits) => Math.Max(file.Width, file.Height) <= limits.LargestSide
        && (!limits.Square || file.Width == file.Height)
        && (!limits.PowerOfTwo || (System.Numerics.BitOperations.IsPow2(file.Width) && System.Numerics.BitOperations.IsPow2(file.Height)));
}
