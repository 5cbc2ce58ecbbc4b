namespace Crumpet.Cli;

/// <summary>What the process says when it ends.</summary>
internal static class ExitCode
{
    public const int Done = 0;
    public const int StopFindings = 1;
    public const int WrongUsage = 2;
    public const int Unreadable = 3;
}

/// <summary>The command was asked for something that cannot be; the message says what and what can.</summary>
internal sealed class UsageException(string message) : Exception(message);
