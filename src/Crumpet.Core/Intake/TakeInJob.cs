using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Intake;

/// <summary>A source file as intake is told of it; its content is an input.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Bytes">Its size.</param>
/// <param name="ForcedSide">Side given by hand, or null.</param>
public sealed record TakenFile(string Name, long Bytes, Side? ForcedSide);

/// <summary>What taking in depends on beside the files.</summary>
/// <param name="Pattern">Pattern by which object names are read.</param>
/// <param name="Names">How names say sides.</param>
/// <param name="KitMends">Mends of the kit, applied before the asset's own.</param>
/// <param name="Mends">The asset's mends.</param>
/// <param name="Green">Direction of green in normal maps that mends make; null where none does.</param>
/// <param name="Files">All files, in their order.</param>
public sealed record TakeInSettings(string Pattern, NameRules Names, IReadOnlyList<Mend> KitMends, IReadOnlyList<Mend> Mends,
    GreenDirection? Green, IReadOnlyList<TakenFile> Files);

/// <summary>
/// Applies mends to all that was read, says what is inside and measures what would hurt later. Takes for each file by its number
/// <c>scene/N</c>, <c>look/N</c> or <c>problem/N</c>, and <c>picture/N</c> where a mend may change it; gives <c>scene</c> in pieces
/// (<c>shape/K</c>, <c>spread/K</c>, <c>rest/K</c> of object K), <c>materials</c>, <c>objects</c>, <c>facts</c>, and pictures that mends made.
/// </summary>
public sealed class TakeInJob() : JobKind<TakeInSettings>("take in", 7)
{
    /// <inheritdoc/>
    public override string Words => "assets to look through";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.03;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <summary>Role of a picture that a mend made.</summary>
    public static string Mended(string name) => "mended/" + name;

    /// <summary>Whether a mend may change a picture.</summary>
    public static bool Changes(Mend mend, string file) => mend is PictureMend { IsOn: true } own && own.IsFor(file);

    /// <inheritdoc/>
    protected override double Cost(TakeInSettings settings, IReadOnlyList<StoredFile> inputs) => 1 + inputs.Sum(i => i.Bytes) / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(TakeInSettings settings, JobInputs inputs, JobContext context)
    {
        SourceFile[] files = [.. settings.Files.Select(f => new SourceFile(f.Name, "", f.Bytes, f.ForcedSide))];
        var numbers = files.Select((f, i) => (f.Name, i)).ToDictionary(p => p.Name, p => p.i, StringComparer.Ordinal);
        var pictures = new List<(string Name, byte[] Bytes)>();
        var input = new IntakeInput(files, f => inputs.Open($"picture/{numbers[f.Name]}"), settings.Pattern)
        {
            PictureMade = (name, picture) =>
                pictures.Add((name, picture is Bitmap32 real ? ImageFile.WriteTiff(real) : ImageFile.WritePng(picture, cancel: context.Cancel))),
            Mends = settings.Mends,
            Rules = new IntakeRules { Mends = settings.KitMends, Names = settings.Names },
            Green = settings.Green ?? GreenDirection.Up,
            Threads = context.Threads,
            Scenes = f => Given(f, "scene", SceneFile.Read),
            Looks = f => Given(f, "look", context.Read<PictureFacts>),
        };
        var result = IntakeStation.Run(input, context.Progress, context.Cancel);
        var output = new JobOutput { Report = result.Report }
            .WithMany("scene", result.Scene.Meshes.SelectMany((mesh, k) => PiecesOf(mesh, k, context.Cancel)))
            .With("materials", SceneFile.Write(new Scene("", [], result.Scene.Materials, [])))
            .With("objects", context.Write(result.Report.Objects))
            .With("facts", context.Write(result.Facts));
        foreach (var (name, bytes) in pictures.OrderBy(p => p.Name, StringComparer.Ordinal))
            output.With(Mended(name), bytes);
        return output;

        T Given<T>(SourceFile file, string role, Func<byte[], T> read)
            where T : class
        {
            int number = numbers[file.Name];
            return inputs.Find($"{role}/{number}") is not null
                ? read(inputs.Bytes($"{role}/{number}"))
                : throw context.Read<ReadProblem>(inputs.Bytes($"{ReadProblem.Role}/{number}")).About(file.Name);
        }
    }

    private static IEnumerable<(string Name, byte[] Bytes)> PiecesOf(Mesh mesh, int number, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        yield return ($"shape/{number}", MeshPieces.Shape(mesh));
        yield return ($"spread/{number}", MeshPieces.Spread(mesh));
        yield return ($"rest/{number}", MeshPieces.Rest(mesh));
    }
}
