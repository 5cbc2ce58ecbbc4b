using System.Diagnostics;
using System.Reflection;
using Xunit.Sdk;
using Xunit.v3;

// Commands write to the one console of the process.
[assembly: Parallelization(Mode = ParallelMode.None)]

namespace Crumpet.Cli.Tests;

/// <summary>Uses the command in a folder of its own.</summary>
public abstract class CommandTests : IDisposable
{
    private static readonly string Program = Path.Combine(AppContext.BaseDirectory, "crumpet.dll");

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

    /// <summary>Runs the command within this process, which spares compiling it anew each time; what it throws, the test throws.</summary>
    protected static (int Code, string Out, string Error) Run(params string[] arguments)
    {
        var (console, errors) = (Console.Out, Console.Error);
        using StringWriter output = new(), error = new();
        Console.SetOut(output);
        Console.SetError(error);
        try
        {
            int code = (int)Assembly.LoadFrom(Program).EntryPoint!.Invoke(null, BindingFlags.DoNotWrapExceptions, null, [arguments], null)!;
            return (code, output.ToString(), error.ToString());
        }
        finally
        {
            Console.SetOut(console);
            Console.SetError(errors);
        }
    }

    /// <summary>Starts the command as a process, as a shell does.</summary>
    protected static (int Code, string Out, string Error) StartProcess(params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet", [Program, .. arguments]) { RedirectStandardOutput = true, RedirectStandardError = true };
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        string output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, error.GetAwaiter().GetResult());
    }
}
