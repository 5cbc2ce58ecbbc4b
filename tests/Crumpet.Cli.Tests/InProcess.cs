using System.Reflection;

namespace Crumpet.Cli.Tests;

/// <summary>Runs the command within this process, which spares compiling it anew each time, and where tables of tests hold.</summary>
internal static class InProcess
{
    /// <summary>The command's program.</summary>
    public static string Program { get; } = Path.Combine(AppContext.BaseDirectory, "crumpet.dll");

    /// <summary>Runs it on the process's one console, so one at a time; what it throws, the test throws.</summary>
    public static (int Code, string Out, string Error) Run(params string[] arguments)
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
}
