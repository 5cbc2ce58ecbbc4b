using System.Globalization;
using Crumpet.Core.Bake;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Pack;

/// <summary>A mend that changes one output of the recipe; it does nothing where there is no such output or channel any more.</summary>
/// <param name="Output">Name of the output.</param>
public abstract record OutputMend([property: Words("The output", 60)] string Output) : Mend
{
    /// <summary>The recipe with the mend.</summary>
    public virtual Recipe Applied(Recipe recipe) =>
        recipe.Outputs.FirstOrDefault(o => o.Name == Output) is { } output ? recipe.With(Output, Changed(output)) : recipe;

    /// <summary>The output with the mend.</summary>
    protected abstract RecipeOutput Changed(RecipeOutput output);

    /// <summary>An output with another feed of a channel.</summary>
    private protected static RecipeOutput With(RecipeOutput output, int channel, Func<Feed, Feed> change) =>
        output with { Channels = [.. output.Channels.Select((feed, c) => c == channel ? change(feed) : feed)] };

    private protected string Place(int channel) => $"channel {channel + 1} of {Output}";
}

/// <summary>Puts a fixed value in the place of a feed.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="Channel">Number of the channel, from 0.</param>
/// <param name="Value">The value, 0 to 1.</param>
public sealed record FixChannel(string Output, [property: Within("The channel", 0, 3)] int Channel, [property: Within("The value", 0, 1)] double Value)
    : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => string.Create(CultureInfo.InvariantCulture, $"Let {Value:0.###} stand in {Place(Channel)}");

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => With(output, Channel, _ => new Feed([], Else: Value));
}

/// <summary>Takes an output's alpha away.</summary>
/// <param name="Output">Name of the output.</param>
public sealed record LeaveAlphaOut(string Output) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Drop the alpha of {Output}";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output.Channels.Count is 2 or 4 ? output.Narrowed() : output;
}

/// <summary>Keeps one of three channels that hold the same.</summary>
/// <param name="Output">Name of the output.</param>
public sealed record MakeGrey(string Output) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Make {Output} grey";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output.Channels.Count != 3 ? output
        : output with { Channels = [output.Channels[0]], Format = null };
}

/// <summary>Switches an output off.</summary>
/// <param name="Output">Name of the output.</param>
public sealed record SwitchOff(string Output) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Do without {Output}";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output with { On = false };
}

/// <summary>Says what an output's numbers mean.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="Meaning">What they mean.</param>
public sealed record CallOutput(string Output, ColourMeaning Meaning) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() =>
        $"Call {Output} {(Meaning == ColourMeaning.Srgb ? "colour" : Meaning == ColourMeaning.Normal ? "normals" : "plain numbers")}";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output with { Meaning = Meaning };
}

/// <summary>Names an output anew, and its file by the kit's pattern.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="To">Its new name.</param>
public sealed record RenameOutput(string Output, [property: Words("The new name of an output", 60)] string To) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Rename {Output} to {To}";

    /// <summary>The recipe with the mend; as it is where another output that is made has the name.</summary>
    public override Recipe Applied(Recipe recipe) => recipe.Outputs.FirstOrDefault(o => o.Name == To) switch
    {
        { On: true } => recipe,
        { } off => base.Applied(recipe.Without(off.Name)),
        null => base.Applied(recipe),
    };

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output with { Name = To, File = null };
}

/// <summary>Gives a feed another range.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="Channel">Number of the channel, from 0.</param>
/// <param name="From">Value that becomes empty.</param>
/// <param name="To">Value that becomes full.</param>
public sealed record SetRange(
    string Output, [property: Within("The channel", 0, 3)] int Channel, [property: Within("The range", -1e6, 1e6)] double From,
    [property: Within("The range", -1e6, 1e6)] double To) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => string.Create(CultureInfo.InvariantCulture, $"Take {From:0.###} to {To:0.###} into {Place(Channel)}");

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => With(output, Channel, feed => feed with { Range = [From, To] });
}

/// <summary>Exchanges full and empty of a channel.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="Channel">Number of the channel, from 0.</param>
public sealed record InvertChannel(string Output, [property: Within("The channel", 0, 3)] int Channel) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Invert {Place(Channel)}";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => With(output, Channel, feed => feed with { Invert = !feed.Invert });
}

/// <summary>Multiplies what the material says into the channels a texture feeds, as far as nothing is mixed into them.</summary>
/// <param name="Output">Name of the output.</param>
/// <param name="Map">The texture, by the name of its map.</param>
public sealed record MultiplyMaterial(string Output, [property: Words("The map", FieldRules.LongestName)] string Map) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Multiply the material's {Map} in";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output with
    {
        Channels = [.. output.Channels.Select(feed => feed.From.Contains(Map) && feed.Mix is null
            ? feed with { Mix = new Mix(MixHow.Multiply, [Feed.OfMaterial + Map], feed.Channel) } : feed)],
    };
}

/// <summary>Lets an output's textures have powers of two for sides, none longer than its picture's.</summary>
/// <param name="Output">Name of the output.</param>
public sealed record HoldToPowers(string Output) : OutputMend(Output)
{
    /// <inheritdoc/>
    public override string Words() => $"Bring the textures of {Output} down to powers of two";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output with { Sides = SideRule.PowersDown };
}

/// <summary>Turns green of an output's normals.</summary>
/// <param name="Output">Name of the output.</param>
public sealed record TurnOutputGreen(string Output) : OutputMend(Output)
{
    /// <summary>Whether it is turned then; null for the other way than was decided.</summary>
    public bool? To { get; init; }

    /// <inheritdoc/>
    public override string Words() => To == false ? $"Keep green of {Output} as it came" : $"Turn green of {Output}";

    /// <inheritdoc/>
    protected override RecipeOutput Changed(RecipeOutput output) => output with
    {
        Normals = (output.Normals ?? new NormalWork()) with { TurnGreen = To ?? output.Normals?.TurnGreen != true },
    };
}

/// <summary>Adds an output for a material input nothing feeds.</summary>
/// <param name="Map">What stands for <c>{map}</c> in its file's name.</param>
/// <param name="Meaning">What the input expects the numbers to mean.</param>
public sealed record AddOutputFor([property: Words("The output", 60)] string Map, ColourMeaning Meaning) : Mend
{
    /// <inheritdoc/>
    public override string Words() => $"Add an output {Map}";

    /// <summary>The output; null where nothing tells what it would hold.</summary>
    public RecipeOutput? Made() => Recipe.Default.Outputs.FirstOrDefault(o => o.Name == Map) is { } usual ? usual with { Meaning = Meaning }
        : BakeMaps.Find(Map) is { } map ? RecipeOutput.Of(new PackFeed(map.Name, FeedOrigin.Baked, map.Channels)) with { Meaning = Meaning }
        // What comes along is known by what its name says it is.
        : TextureKinds.ByName(Map) == TextureKind.Unknown ? null
        : new RecipeOutput(Map, Meaning, [.. Enumerable.Range(0, Meaning == ColourMeaning.Linear ? 1 : 3)
            .Select(c => new Feed([Map], (FeedChannel)c, Else: 0))]);

    /// <summary>The recipe with the output, or with it switched on.</summary>
    public Recipe Applied(Recipe recipe) => recipe.Outputs.FirstOrDefault(o => o.Name == Map) is { } own
        ? recipe.With(Map, own with { On = true, Meaning = Meaning })
        : Made() is { } made ? recipe.Added([made]) : recipe;
}

/// <summary>Bakes a map more.</summary>
/// <param name="Map">The map.</param>
public sealed record BakeAlso(BakeMap Map) : Mend
{
    /// <inheritdoc/>
    public override string Words() => $"Bake {Map.Label}";
}

/// <summary>All kinds of mends of this station.</summary>
public static class PackMendKinds
{
    /// <summary>One row a kind.</summary>
    public static IReadOnlyList<MendKind> All { get; } =
    [
        new("fixChannel", typeof(FixChannel)), new("leaveAlphaOut", typeof(LeaveAlphaOut)), new("makeGrey", typeof(MakeGrey)),
        new("switchOff", typeof(SwitchOff)), new("callOutput", typeof(CallOutput)), new("setRange", typeof(SetRange)),
        new("renameOutput", typeof(RenameOutput)),
        new("invertChannel", typeof(InvertChannel)), new("multiplyMaterial", typeof(MultiplyMaterial)),
        new("turnOutputGreen", typeof(TurnOutputGreen)), new("addOutput", typeof(AddOutputFor)),
        new("bakeAlso", typeof(BakeAlso)), new("holdToPowers", typeof(HoldToPowers)),
    ];
}
