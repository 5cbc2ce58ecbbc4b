using System.ComponentModel;
using System.Diagnostics;
using System.Text;

namespace Crumpet.Core.Intake;

/// <summary>
/// Runs the import library in a folder of its own, with bounds to its time, memory and output, and without a network where the machine
/// lets a process go without. Its files are gone when it ends, and so is the process when the work is cancelled.
/// </summary>
internal static class ExchangeProcess
{
    /// <summary>The library's command.</summary>
    public const string Program = "assimp";

    /// <summary>Debian's package that holds it.</summary>
    public const string Package = "assimp-utils";

    private const string Error = "ERROR: ";
    private const long MostMemory = 6L << 30;
    private const long LargestResult = 4L << 30;
    private static readonly TimeSpan LongestTime = TimeSpan.FromMinutes(5);
    private static readonly TimeSpan ShortTime = TimeSpan.FromSeconds(20);

    private static readonly Lazy<string?> Found = new(FindVersion);
    private static readonly Lazy<bool> CanCutNetwork = new(() => Ends("unshare", "-rn", "true"));

    /// <summary>The library with its version; null where it is not installed.</summary>
    public static string? Version => Found.Value;

    /// <summary>A file as binary glTF.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="name">Its name; the ending tells the format.</param>
    /// <param name="format">The format, for messages.</param>
    /// <param name="cancel">Ends the process.</param>
    /// <exception cref="SourceFileException">It cannot be read, or takes too long or too much.</exception>
    public static byte[] ToGlb(byte[] bytes, string name, string format, CancellationToken cancel)
    {
        string ending = Path.GetExtension(name).ToLowerInvariant();
        var folder = Directory.CreateTempSubdirectory("crumpet-exchange-");
        try
        {
            File.WriteAllBytes(Path.Combine(folder.FullName, "in" + ending), bytes);
            Run(folder.FullName, ending, name, format, cancel);
            return File.ReadAllBytes(Path.Combine(folder.FullName, "out.glb"));
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    private static void Run(string folder, string ending, string name, string format, CancellationToken cancel)
    {
        string[] command = [.. CanCutNetwork.Value ? new[] { "unshare", "-rn" } : [], Program, "export", "in" + ending, "out.glb", "-fglb2"];
        var start = new ProcessStartInfo("prlimit", [$"--as={MostMemory}", $"--fsize={LargestResult}", $"--cpu={(int)LongestTime.TotalSeconds}", "--core=0",
            "--", .. command])
        { WorkingDirectory = folder, RedirectStandardOutput = true, RedirectStandardError = true };
        using var process = Process.Start(start) ?? throw new InvalidOperationException($"{Program} did not start.");
        var said = new StringBuilder();
        process.OutputDataReceived += (_, e) => Note(e.Data);
        process.ErrorDataReceived += (_, e) => Note(e.Data);
        process.BeginOutputReadLine();
        process.BeginErrorReadLine();
        using var limit = new CancellationTokenSource(LongestTime);
        using var either = CancellationTokenSource.CreateLinkedTokenSource(cancel, limit.Token);
        using (either.Token.Register(() => Kill(process)))
            process.WaitForExit();
        cancel.ThrowIfCancellationRequested();
        if (limit.IsCancellationRequested)
            throw new SourceFileException(name, "", $"reading it as {format} took more than {LongestTime.TotalMinutes:0} minutes", "Export it as glTF or OBJ");
        if (process.ExitCode != 0 || !File.Exists(Path.Combine(folder, "out.glb")))
        {
            string? line = said.ToString().Split('\n').LastOrDefault(l => l.StartsWith(Error, StringComparison.Ordinal));
            string why = line is null ? "" : $" ({Checking.FieldRules.Quoted(line[Error.Length..].Trim().TrimEnd('.'))})";
            throw new SourceFileException(name, "", $"it cannot be read as {format}{why}", "Export it again, or as glTF or OBJ");
        }

        void Note(string? line)
        {
            lock (said)
            {
                if (line is not null && said.Length < 1 << 16)
                    said.Append(line).Append('\n');
            }
        }
    }

    private static string? FindVersion()
    {
        try
        {
            using var process = Process.Start(new ProcessStartInfo(Program, ["version"]) { RedirectStandardOutput = true, RedirectStandardError = true });
            if (process is null)
                return null;
            string said = process.StandardOutput.ReadToEnd();
            if (!process.WaitForExit(ShortTime))
                Kill(process);
            return said.Split('\n').FirstOrDefault(l => l.StartsWith("Version ", StringComparison.Ordinal))?.Trim() is { } version
                ? $"{Program} {version}" : null;
        }
        catch (Exception e) when (e is Win32Exception or IOException)
        {
            return null;
        }
    }

    private static bool Ends(string program, params string[] arguments)
    {
        try
        {
            using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardError = true });
            return process is not null && process.WaitForExit(ShortTime) && process.ExitCode == 0;
        }
        catch (Win32Exception)
        {
            return false;
        }
    }

    private static void Kill(Process process)
    {
        try
        {
            process.Kill(entireProcessTree: true);
        }
        catch (InvalidOperationException)
        {
            // It ended by itself.
        }
    }
}
