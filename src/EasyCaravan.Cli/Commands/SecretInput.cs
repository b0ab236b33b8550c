namespace EasyCaravan.Cli.Commands;

/// <summary>Reads secrets; they are never a word of a command, which other users of the machine could see.</summary>
internal static class SecretInput
{
    private const string NoSecret = "No secret was given; nothing was done.";

    /// <summary>Somebody sits at a terminal.</summary>
    public static bool CanAsk(CommandHost host) => !Console.IsInputRedirected && host.In == Console.In;

    /// <summary>At a terminal, without echo.</summary>
    public static string Ask(string what, CommandHost host)
    {
        host.Error.Write($"{what} (it is not shown): ");
        var typed = new System.Text.StringBuilder();
        while (Console.ReadKey(intercept: true) is { Key: not ConsoleKey.Enter } key)
        {
            if (key.Key is ConsoleKey.Backspace && typed.Length > 0)
                typed.Length--;
            else if (key.KeyChar is >= ' ')
                typed.Append(key.KeyChar);
        }
        host.Error.WriteLine();
        return typed.Length > 0 ? typed.ToString() : throw new CommandException(ExitCode.WrongUsage, NoSecret);
    }

    /// <param name="file">Or - for standard input.</param>
    public static string ReadFirstLine(string file, CommandHost host)
    {
        using var reader = Open(file, host);
        return reader.ReadLine() is { Length: > 0 } secret ? secret : throw new CommandException(ExitCode.WrongUsage, NoSecret);
    }

    /// <param name="file">Or - for standard input.</param>
    public static TextReader Open(string file, CommandHost host)
    {
        try
        {
            return file == "-" ? host.In : new StreamReader(file);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException(ExitCode.WrongUsage, $"{file} cannot be read: {e.Message}\nGive a file with the secret in it.");
        }
    }
}
