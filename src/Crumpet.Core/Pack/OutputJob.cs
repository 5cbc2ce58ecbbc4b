using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Pack;

/// <summary>A map that is an input of an output.</summary>
/// <param name="Ending">Ending of its file.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Map">The baked map it is, where its floating-point values are shown by its scale; null where they are plain.</param>
public sealed record OutputMap(string Ending, ColourMeaning Meaning, BakeMap? Map = null)
{
    /// <summary>The one channel of the file that is meant, from 0; null for all of them.</summary>
    public int? Channel { get; init; }

    /// <summary>Whether the file tells the opposite.</summary>
    public bool Invert { get; init; }

    /// <summary>The map as it feeds channels.</summary>
    /// <param name="name">Its name, for messages.</param>
    /// <param name="bytes">Its file.</param>
    /// <param name="scale">Gives the file of its scale; asked only for floating-point values that are shown by one.</param>
    /// <exception cref="SourceFileException">It is no picture that is read.</exception>
    public PackSource Read(string name, byte[] bytes, Func<byte[]> scale)
    {
        var read = PackSource.Picked(ImageFile.Read(bytes, name + Ending), Channel, Invert);
        return new PackSource(read, Meaning)
        {
            Shown = Map is not null && read is Bitmap32 ? MapFiles.ShareOf(Map, MapFiles.ReadScale(scale())) : null,
        };
    }
}

/// <summary>What an output depends on beside the maps.</summary>
/// <param name="Width">Width of its sheet, pixels.</param>
/// <param name="Height">Height of its sheet, pixels.</param>
/// <param name="Output">What is made, without what its file is called and how it is compressed later.</param>
/// <param name="Maps">Each map that is an input.</param>
/// <param name="Values">Codes of maps that are one value everywhere, a code a channel.</param>
public sealed record OutputSettings(int Width, int Height, RecipeOutput Output, IReadOnlyDictionary<string, OutputMap> Maps,
    IReadOnlyDictionary<string, int[]> Values)
{
    /// <summary>What of an output its texels depend on.</summary>
    public static RecipeOutput Plain(RecipeOutput output) =>
        output with { Name = "", On = true, File = null, Format = null, Level = Effort.Normal, Mips = MipFilter.Kaiser, Largest = null, Sides = SideRule.Any };
}

/// <summary>What became of an output's channels.</summary>
/// <param name="Width">Width of the picture, pixels.</param>
/// <param name="Height">Its height.</param>
/// <param name="Channels">Its channels.</param>
public sealed record OutputReport(int Width, int Height, IReadOnlyList<PackedChannel> Channels);

/// <summary>
/// Packs one output of a sheet: <c>map/NAME</c> of each map that feeds it, with <c>scale/NAME</c> of floating-point ones, to
/// <c>picture</c>, the loose file, and <c>plain</c>, a PNG of the same for Convert.
/// </summary>
public sealed class OutputJob() : JobKind<OutputSettings>("output", 5)
{
    /// <inheritdoc/>
    public override string Words => "outputs to pack";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.15;

    /// <summary>Role of a map.</summary>
    public static string Map(string name) => "map/" + name;

    /// <summary>Role of a map's scale.</summary>
    public static string Scale(string name) => "scale/" + name;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(OutputSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + (double)settings.Width * settings.Height / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(OutputSettings settings, JobInputs inputs, JobContext context)
    {
        var output = settings.Output;
        var (width, height) = OutputSize.Of(output.Size)!.Value.For(settings.Width, settings.Height);
        var names = settings.Maps.Keys.Concat(settings.Values.Keys).ToHashSet(StringComparer.Ordinal);
        var packed = ChannelPacker.Pack(output, new PackSources(names, Load), width, height, context.Threads, context.Cancel);
        context.Progress?.Report(new Progress(0.4, "writing"));
        byte[] picture = output.Picture.Write(packed.Picture, output.Bits, context.Cancel);
        byte[] plain = output.Picture == PictureFormat.Png ? picture : ImageFile.WritePng(Plain(packed.Picture, output.Meaning), cancel: context.Cancel);
        return new JobOutput { Report = new OutputReport(width, height, packed.Channels) }.With("picture", picture).With("plain", plain);

        PackSource Load(string name)
        {
            context.Cancel.ThrowIfCancellationRequested();
            return settings.Values.TryGetValue(name, out int[]? codes) ? PackSource.Of(codes, MeaningOf(name))
                : settings.Maps[name].Read(name, inputs.Bytes(Map(name)), () => inputs.Bytes(Scale(name)));
        }
    }

    /// <summary>What the numbers of a map mean, by its name; what a material says of a map means the same.</summary>
    public static ColourMeaning MeaningOf(string name) => BakeMaps.Find(Feed.MapOf(name))?.Meaning ?? ColourMeaning.Linear;

    /// <summary>A picture as whole numbers; colour in floating point is linear light.</summary>
    private static Bitmap Plain(Bitmap picture, ColourMeaning meaning)
    {
        if (picture is not Bitmap32 real)
            return picture;
        int colours = picture.Channels is 2 or 4 ? picture.Channels - 1 : picture.Channels;
        bool isSrgb = meaning == ColourMeaning.Srgb;
        return PictureOps.FromUnits(real.Width, real.Height, real.Channels, 16,
            [.. real.Pixels.Select((v, i) => float.IsNaN(v) ? 0 : isSrgb && i % real.Channels < colours ? Srgb.FromLinear(v) : v)]);
    }
}
