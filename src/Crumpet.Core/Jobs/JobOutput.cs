namespace Crumpet.Core.Jobs;

/// <summary>What a kind makes of a job.</summary>
public sealed class JobOutput
{
    private readonly List<(string Name, byte[] Bytes, IReadOnlyList<StoredFile>? Pieces)> files = [];

    /// <summary>Facts for whoever looks.</summary>
    public object Report { get; init; } = new();

    /// <summary>What was noticed.</summary>
    public IReadOnlyList<Finding> Findings { get; init; } = [];

    /// <summary>Files that were made: their bytes, and where they are made of pieces that are taken by themselves, those.</summary>
    internal IReadOnlyList<(string Name, byte[] Bytes, IReadOnlyList<StoredFile>? Pieces)> Files => files;

    /// <summary>Adds a file.</summary>
    public JobOutput With(string name, byte[] bytes)
    {
        files.Add((name, bytes, null));
        return this;
    }

    /// <summary>Adds many small files as one; each can be taken by itself.</summary>
    /// <param name="name">Name of the whole.</param>
    /// <param name="pieces">The files.</param>
    public JobOutput WithMany(string name, IEnumerable<(string Name, byte[] Bytes)> pieces)
    {
        using var whole = new MemoryStream();
        var index = new List<StoredFile>();
        foreach (var (piece, bytes) in pieces)
        {
            string hash = System.Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(bytes));
            index.Add(new StoredFile(piece, hash, bytes.Length) { Offset = whole.Position });
            whole.Write(bytes);
        }
        files.Add((name, whole.ToArray(), index));
        return this;
    }
}
