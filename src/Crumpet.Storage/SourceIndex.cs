namespace Crumpet.Storage;

/// <summary>The source files of an asset by name, so that thousands can be added at once.</summary>
public sealed class SourceIndex
{
    private readonly Asset asset;
    private readonly Dictionary<string, AssetSource> latest = new(StringComparer.Ordinal);
    private readonly Dictionary<string, AssetSource> current = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<string>> currentByFileName = new(StringComparer.Ordinal);

    /// <summary>Makes an index; the asset's sources must be loaded.</summary>
    public SourceIndex(Asset asset)
    {
        this.asset = asset;
        foreach (var source in asset.Sources)
            Note(source);
    }

    /// <summary>Adds a file, or a new version of the file of that name. The same bytes again change nothing.</summary>
    /// <returns>Whether anything changed.</returns>
    public bool Add(string name, string sha256, long bytes, DateTime now)
    {
        var before = current.GetValueOrDefault(name);
        if (before?.Sha256 == sha256)
            return false;
        int version = (latest.GetValueOrDefault(name)?.Version ?? 0) + 1;
        if (before is not null)
            before.IsCurrent = false;
        var source = new AssetSource
        {
            Name = name,
            Sha256 = sha256,
            Bytes = bytes,
            ForcedSide = before?.ForcedSide,
            Version = version,
            IsCurrent = true,
            AddedAt = now
        };
        asset.Sources.Add(source);
        Note(source);
        return true;
    }

    /// <summary>Name of the file in use whose place a file takes: its own, or, where it comes without a folder, that of the one file of its name.</summary>
    public string PlaceOf(string name) => current.ContainsKey(name) || name.Contains('/', StringComparison.Ordinal) ? name
        : currentByFileName.GetValueOrDefault(name) is [var only] ? only
        : name;

    private void Note(AssetSource source)
    {
        if (!latest.TryGetValue(source.Name, out var known) || known.Version < source.Version)
            latest[source.Name] = source;
        if (!source.IsCurrent || !current.TryAdd(source.Name, source))
        {
            if (source.IsCurrent)
                current[source.Name] = source;
            return;
        }
        string fileName = Path.GetFileName(source.Name);
        if (!currentByFileName.TryGetValue(fileName, out var places))
            currentByFileName.Add(fileName, places = []);
        places.Add(source.Name);
    }
}
