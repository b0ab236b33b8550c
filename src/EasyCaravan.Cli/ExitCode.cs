namespace EasyCaravan.Cli;

/// <summary>The exit codes of commands.</summary>
internal static class ExitCode
{
    public const int Well = 0;
    public const int Failed = 1;
    public const int WrongUsage = 2;
    public const int NeedsYou = 3;
    public const int NoService = 4;
}

/// <summary>Ends a command with a message for the person and an exit code for scripts.</summary>
internal sealed class CommandException(int code, string message) : Exception(message)
{
    public int Code { get; } = code;
}
