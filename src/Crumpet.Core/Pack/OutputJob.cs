using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Pack;

/// <summary>What an output depends on beside the maps.</summary>
/// <param name="Size">Its side, pixels.</param>
/// <param name="Channels">What feeds each channel.</param>
/// <param name="Endings">Ending of the file of each map that is an input.</param>
/// <param name="Values">Codes of maps that are one value everywhere, a code a channel.</param>
public sealed record OutputSettings(int Size, IReadOnlyList<Feed> Channels, IReadOnlyDictionary<string, string> Endings,
    IReadOnlyDictionary<string, int[]> Values);

/// <summary>
/// Packs one output of a sheet: <c>map/NAME</c> of each map that feeds it to <c>picture</c>, a PNG. How it is compressed later is of no
/// matter.
/// </summary>
public sealed class OutputJob() : JobKind<OutputSettings>("output", 1)
{
    /// <inheritdoc/>
    public override string Words => "outputs to pack";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.15;

    /// <summary>Role of a map.</summary>
    public static string Map(string name) => "map/" + name;

    /// <inheritdoc/>
    protected override double Cost(OutputSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + settings.Size * settings.Size / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(OutputSettings settings, JobInputs inputs, JobContext context)
    {
        var maps = settings.Values.ToDictionary(v => v.Key, v => (Bitmap)new Bitmap8(1, 1, v.Value.Length, [.. v.Value.Select(c => (byte)c)]));
        foreach (var (name, ending) in settings.Endings)
        {
            context.Cancel.ThrowIfCancellationRequested();
            maps[name] = ImageFile.Read(inputs.Bytes(Map(name)), name + ending);
        }
        context.Progress?.Report(new Progress(0.3, "packing channels"));
        var picture = ChannelPacker.Pack(new RecipeOutput("", ColourMeaning.Linear, TextureFormat.Rgba8, settings.Channels), maps, settings.Size,
            context.Cancel);
        return new JobOutput().With("picture",
            ImageFile.WritePng(picture, done: share => context.Progress?.Report(new Progress(0.4 + 0.6 * share, "writing")), cancel: context.Cancel));
    }
}
