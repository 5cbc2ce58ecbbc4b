using System.Diagnostics;
using Xunit.Sdk;
using Xunit.v3;

// Commands write to the one console of the process.
[assembly: Parallelization(Mode = ParallelMode.None)]

namespace Crumpet.Cli.Tests;

/// <summary>Uses the command in a folder of its own.</summary>
public abstract class CommandTests : IDisposable
{
    /// <summary>The folder; gone after the test.</summary>
    protected string Folder { get; } = Directory.CreateTempSubdirectory("crumpet").FullName;

    /// <inheritdoc/>
    public void Dispose()
    {
        Directory.Delete(Folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    protected string At(string path) => Path.Combine(Folder, path);

    protected string Save(string path, string text)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(At(path))!);
        File.WriteAllBytes(At(path), System.Text.Encoding.Latin1.GetBytes(text));
        return At(path);
    }

    protected static (int Code, string Out, string Error) Run(params string[] arguments) => InProcess.Run(arguments);

    /// <summary>Starts the command as a process, as a shell does.</summary>
    protected static (int Code, string Out, string Error) StartProcess(params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet", [InProcess.Program, .. arguments]) { RedirectStandardOutput = true, RedirectStandardError = true };
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        string output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, error.GetAwaiter().GetResult());
    }
}
