using System.Text.Json.Serialization;
using Crumpet.Core.Geometry;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Intake;

/// <summary>What reading a mesh file depends on beside its bytes.</summary>
/// <param name="Name">Its name, which its objects and messages go by.</param>
public sealed record ReadSettings(string Name)
{
    /// <summary>What reads files that Crumpet does not read itself; empty where nothing does, null for its own.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Reader { get; init; }

    /// <summary>How a file is read here.</summary>
    public static ReadSettings Of(string name) => new(name) { Reader = ExchangeFiles.Is(name) ? ExchangeFiles.Reader ?? "" : null };
}

/// <summary>Why a file could not be read.</summary>
/// <param name="Where">Place in it; empty for all of it.</param>
/// <param name="What">What is wrong.</param>
/// <param name="WhatToDo">The remedy.</param>
public sealed record ReadProblem(string Where, string What, string WhatToDo)
{
    /// <summary>Role of the file it is kept in.</summary>
    public const string Role = "problem";

    /// <summary>Of what a reader threw.</summary>
    public static ReadProblem Of(SourceFileException e) => new(e.Where, e.What, e.WhatToDo);

    /// <summary>As it was thrown, for the file it is about.</summary>
    public SourceFileException About(string file) => new(file, Where, What, WhatToDo);
}

/// <summary>What reading a mesh file tells.</summary>
/// <param name="Pictures">Names of the pictures inside it.</param>
public sealed record ReadReport(IReadOnlyList<string> Pictures);

/// <summary>Reads one mesh file: <c>file</c> and what may lie beside it, <c>beside/NAME</c>, to <c>scene</c> and pictures inside it,
/// <c>inner/K</c>, or to <c>problem</c>.</summary>
public sealed class ReadJob() : JobKind<ReadSettings>("read", 4)
{
    // Below this a file is read before threads are at work.
    private const long Large = 4 << 20;
    private const string BesideRole = "beside/";

    /// <inheritdoc/>
    public override string Words => "files to read";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.02;

    /// <summary>Role of a picture inside the mesh file.</summary>
    /// <param name="number">Its number in the report.</param>
    public static string Inner(int number) => $"inner/{number}";

    /// <summary>Role of a file beside the mesh file.</summary>
    public static string Beside(string name) => BesideRole + name;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => inputs.Sum(i => i.Bytes) > Large;

    /// <inheritdoc/>
    protected override double Cost(ReadSettings settings, IReadOnlyList<StoredFile> inputs) => 0.1 + inputs.Sum(i => i.Bytes) / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(ReadSettings settings, JobInputs inputs, JobContext context)
    {
        string[] beside = [.. inputs.Roles.Where(r => r.StartsWith(BesideRole, StringComparison.Ordinal)).Select(r => r[BesideRole.Length..])];
        try
        {
            using var stream = inputs.Open("file");
            var scene = MeshFiles.Read(
                settings.Name, stream, path => MeshFiles.Beside(settings.Name, path, beside.Prepend(settings.Name)) is { } found
                    ? inputs.Bytes(found == settings.Name ? "file" : Beside(found)) : null,
                context.Threads, context.Cancel);
            var output = new JobOutput { Report = new ReadReport([.. scene.Pictures.Select(p => p.Name)]), Findings = scene.Notes }
                .With("scene", SceneFile.Write(scene));
            for (int i = 0; i < scene.Pictures.Count; i++)
                output.With(Inner(i), scene.Pictures[i].Bytes.ToArray());
            return output;
        }
        catch (SourceFileException e)
        {
            return new JobOutput { Report = new ReadReport([]) }.With(ReadProblem.Role, context.Write(ReadProblem.Of(e)));
        }
    }
}
