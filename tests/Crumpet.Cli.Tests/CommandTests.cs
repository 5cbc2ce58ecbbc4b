using System.Diagnostics;

namespace Crumpet.Cli.Tests;

/// <summary>Starts the built command in a folder of its own.</summary>
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

    protected static (int Code, string Out, string Error) Run(params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet") { RedirectStandardOutput = true, RedirectStandardError = true };
        start.ArgumentList.Add(Path.Combine(AppContext.BaseDirectory, "crumpet.dll"));
        foreach (string argument in arguments)
            start.ArgumentList.Add(argument);
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        string output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, error.GetAwaiter().GetResult());
    }
}
