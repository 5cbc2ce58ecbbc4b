namespace Crumpet.Core.Intake;

/// <summary>How well a path fits a file.</summary>
public enum PathFit
{
    /// <summary>To the letter.</summary>
    Exact,

    /// <summary>Upper and lower case differ.</summary>
    OtherCase,

    /// <summary>The name fits, the folder does not.</summary>
    OtherFolder,

    /// <summary>The name fits but for its ending.</summary>
    OtherEnding,
}

/// <summary>Finds the files that paths in sources mean.</summary>
public static class SourcePaths
{
    /// <summary>Whether a path names a place on somebody's machine.</summary>
    public static bool IsAbsolute(string path) => path.StartsWith('/') || path.StartsWith('\\') || (path.Length > 1 && path[1] == ':');

    /// <summary>A path with plain slashes, seen from a file's folder, without steps up.</summary>
    public static string From(string file, string path)
    {
        path = path.Replace('\\', '/');
        if (IsAbsolute(path))
            return path;
        var pieces = new List<string>(file.Split('/')[..^1]);
        foreach (string piece in path.Split('/'))
        {
            if (piece == ".." && pieces.Count > 0)
                pieces.RemoveAt(pieces.Count - 1);
            else if (piece is not ("." or ".." or ""))
                pieces.Add(piece);
        }
        return string.Join('/', pieces);
    }

    /// <summary>The file a path means to the letter, or null.</summary>
    public static string? Exact(string file, string path, IEnumerable<string> files)
    {
        string wanted = From(file, path);
        return files.FirstOrDefault(f => f == wanted);
    }

    /// <summary>Files a path may mean, best first.</summary>
    public static IReadOnlyList<(string File, PathFit Fit)> Candidates(string file, string path, IEnumerable<string> files)
    {
        string wanted = From(file, path), name = Path.GetFileName(wanted), stem = Path.GetFileNameWithoutExtension(name);
        return [.. files.Select(f => (File: f, Fit: FitOf(f))).Where(c => c.Fit is not null).Select(c => (c.File, c.Fit!.Value)).OrderBy(c => c.Value)
            .ThenBy(c => c.File, StringComparer.Ordinal)];

        PathFit? FitOf(string candidate) =>
            candidate == wanted ? PathFit.Exact
            : candidate.Equals(wanted, StringComparison.OrdinalIgnoreCase) ? PathFit.OtherCase
            : Path.GetFileName(candidate).Equals(name, StringComparison.OrdinalIgnoreCase) ? PathFit.OtherFolder
            : MeshFiles.IsPicture(candidate) && stem.Length > 0 && Path.GetFileNameWithoutExtension(candidate).Equals(stem, StringComparison.OrdinalIgnoreCase)
                ? PathFit.OtherEnding
            : null;
    }
}
