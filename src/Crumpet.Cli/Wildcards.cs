using System.IO.Enumeration;
using Crumpet.Core;

namespace Crumpet.Cli;

/// <summary>What is named on the command line: files, all that fit a pattern, or all of a folder.</summary>
internal static class Wildcards
{
    /// <summary>The files that some words name, each once, in the order of the words and of their names.</summary>
    /// <param name="words">Paths; in the last part <c>*</c> stands for any characters and <c>?</c> for one, and a folder for what lies in it.</param>
    /// <param name="isWanted">Which files of a folder, or that fit a pattern, are meant, by their names.</param>
    /// <param name="what">What they are, for messages.</param>
    /// <exception cref="SourceFileException">A folder or a pattern gives none.</exception>
    public static IReadOnlyList<FileInfo> Files(IEnumerable<string> words, Func<string, bool> isWanted, string what)
    {
        var files = new List<FileInfo>();
        foreach (string word in words)
        {
            // A file may have such a name.
            if (File.Exists(word) || (!Directory.Exists(word) && !IsPattern(Path.GetFileName(word))))
            {
                files.Add(new FileInfo(word));
                continue;
            }
            var (folder, pattern) = Directory.Exists(word) ? (word, "*")
                : (Path.GetDirectoryName(word) is { Length: > 0 } above ? above : ".", Path.GetFileName(word));
            FileInfo[] found = !Directory.Exists(folder) ? [] : [.. new DirectoryInfo(folder).EnumerateFiles()
                .Where(f => Fits(pattern, f.Name) && isWanted(f.Name)).OrderBy(f => f.Name, StringComparer.Ordinal)];
            files.AddRange(found.Length > 0 ? found : throw new SourceFileException(word, "", $"no {what} is there", "Check the path"));
        }
        return [.. files.DistinctBy(f => f.FullName)];
    }

    /// <summary>The folders that some words name.</summary>
    /// <inheritdoc cref="Files"/>
    public static IReadOnlyList<DirectoryInfo> Folders(IEnumerable<string> words)
    {
        var folders = new List<DirectoryInfo>();
        foreach (string word in words)
        {
            string path = Path.TrimEndingDirectorySeparator(word);
            if (Directory.Exists(path) || !IsPattern(Path.GetFileName(path)))
            {
                folders.Add(new DirectoryInfo(path));
                continue;
            }
            string above = Path.GetDirectoryName(path) is { Length: > 0 } parent ? parent : ".";
            DirectoryInfo[] found = !Directory.Exists(above) ? [] : [.. new DirectoryInfo(above).EnumerateDirectories()
                .Where(d => Fits(Path.GetFileName(path), d.Name)).OrderBy(d => d.Name, StringComparer.Ordinal)];
            folders.AddRange(found.Length > 0 ? found : throw new SourceFileException(word, "", "no folder is there", "Check the path"));
        }
        return [.. folders.DistinctBy(d => d.FullName)];
    }

    /// <summary>Whether a name fits a pattern, whatever its capitals.</summary>
    public static bool Fits(string pattern, string name) => FileSystemName.MatchesSimpleExpression(pattern, name, ignoreCase: true);

    private static bool IsPattern(string name) => name.AsSpan().IndexOfAny('*', '?') >= 0;
}
