using System.Text;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;
using MailKit.Security;

namespace EasyCaravan.Protocols.ManageSieve;

/// <summary>One line of an answer: its first string as octets, and what stands after it.</summary>
internal readonly record struct AnswerLine(ReadOnlyMemory<byte> Octets, string After)
{
    public string Text => Encoding.UTF8.GetString(Octets.Span);
}

/// <summary>What a server offers (RFC 5804 §1.7).</summary>
/// <param name="Mechanisms">With which one may sign in.</param>
/// <param name="Extensions">What scripts may ask for (RFC 5228 §3.2).</param>
/// <param name="Checks">It knows CHECKSCRIPT, as those that tell their version do.</param>
internal sealed record ManageSieveOffer(HashSet<string> Mechanisms, HashSet<string> Extensions, bool Checks)
{
    public static ManageSieveOffer Of(IReadOnlyList<AnswerLine> lines) =>
        new(Words(lines, "SASL"), Words(lines, "SIEVE"), Words(lines, "VERSION").Count > 0);

    private static HashSet<string> Words(IReadOnlyList<AnswerLine> lines, string name)
    {
        var line = lines.FirstOrDefault(l => l.Text.Equals(name, StringComparison.OrdinalIgnoreCase));
        return [.. (line.After ?? "").Trim().Trim('"').Split(' ', StringSplitOptions.RemoveEmptyEntries)];
    }
}

/// <summary>How a command ended, with the lines before that.</summary>
/// <param name="Said">The line that begins with OK, NO or BYE.</param>
internal sealed record ManageSieveAnswer(bool Ok, IReadOnlyList<AnswerLine> Lines, string Said);

/// <summary>Commands and their answers (RFC 5804 §1.2 and §4) over one connection.</summary>
internal sealed partial class ManageSieveConnection(LineConnection wire) : IAsyncDisposable
{
    /// <summary>Octets of the scripts in one answer: rules are written by hand, and one of more than this is not read.</summary>
    private const int LargestScript = 1_000_000;

    /// <summary>Octets of what a server says for people.</summary>
    private const int LargestText = 65_536;

    /// <summary>Octets of one challenge.</summary>
    private const int LargestChallenge = 8192;

    /// <summary>Steps of one sign-in.</summary>
    private const int MostSteps = 8;

    /// <summary>Lines and literals of one answer: scripts are listed one in a line.</summary>
    private const int MostLines = 1_000;

    /// <summary>Octets of one line, which holds a name or a short text.</summary>
    private const int LongestLine = 8192;

    public async Task SayAsync(string line, CancellationToken cancel)
    {
        await wire.WriteAsync(Encoding.UTF8.GetBytes(line + "\r\n"), cancel);
        await wire.FlushAsync(cancel);
    }

    /// <summary>Says a command whose last argument is a script, as a literal that needs no leave (RFC 5804 §4).</summary>
    public async Task SayAsync(string command, ReadOnlyMemory<byte> script, CancellationToken cancel)
    {
        await wire.WriteAsync(Encoding.UTF8.GetBytes($"{command} {{{script.Length}+}}\r\n"), cancel);
        await wire.WriteAsync(script, cancel);
        await wire.WriteAsync("\r\n", cancel);
        await wire.FlushAsync(cancel);
    }

    /// <summary>
    /// What the server offers, by name (RFC 5804 §1.7): the sign-in mechanisms under SASL, extensions of scripts under SIEVE.
    /// </summary>
    public async Task<ManageSieveOffer> ReadGreetingAsync(CancellationToken cancel)
    {
        var greeting = await AnswerAsync(cancel);
        return greeting.Ok
            ? ManageSieveOffer.Of(greeting.Lines)
            : throw Refused(wire.Whom, "the server did not greet", greeting.Said, Cause.ServiceBusy);
    }

    /// <summary>AUTHENTICATE (RFC 5804 §2.1), as many steps as the mechanism has.</summary>
    /// <returns>What the server said when it refused; null when it let us in.</returns>
    public async Task<string?> AuthenticateAsync(SaslMechanism mechanism, CancellationToken cancel)
    {
        try
        {
            var first = mechanism.SupportsInitialResponse ? $" \"{await mechanism.ChallengeAsync(null, cancel)}\"" : "";
            await SayAsync($"AUTHENTICATE \"{mechanism.MechanismName}\"{first}", cancel);
            for (var steps = 0; steps < MostSteps; steps++)
            {
                var line = await ReadLineAsync(cancel);
                if (Begins(line, "NO") || Begins(line, "BYE"))
                    return await WithTextAsync(line, cancel);
                if (Begins(line, "OK"))
                {
                    // The server may put its final SASL data into the OK response (RFC 5804 §2.1).
                    if (FinalWord().Match(line) is { Success: true } final && !mechanism.IsAuthenticated)
                        await mechanism.ChallengeAsync(final.Groups[1].Value, cancel);
                    return null;
                }
                var challenge = ImapSyntax.LiteralLength(Encoding.UTF8.GetBytes(line)) is { } length
                    ? Encoding.ASCII.GetString(await ReadLiteralAsync(length, LargestChallenge, "challenge", cancel))
                    : line.Trim('"');
                if (line.EndsWith('}'))
                    await ReadLineAsync(cancel);
                await SayAsync($"\"{await mechanism.ChallengeAsync(challenge, cancel)}\"", cancel);
            }
            return "the sign-in has no end";
        }
        catch (Exception e) when (e is SaslException or FormatException)
        {
            return e.Message;
        }
    }

    /// <summary>Everything up to the line that begins with OK, NO or BYE.</summary>
    public async Task<ManageSieveAnswer> AnswerAsync(CancellationToken cancel)
    {
        var lines = new List<AnswerLine>();
        var held = 0;
        for (var read = 0; read < MostLines; read++)
        {
            var line = await ReadLineAsync(cancel);
            if (Begins(line, "OK"))
                return new ManageSieveAnswer(true, lines, await WithTextAsync(line, cancel));
            if (Begins(line, "NO") || Begins(line, "BYE"))
                return new ManageSieveAnswer(false, lines, await WithTextAsync(line, cancel));
            if (line.StartsWith('{'))
            {
                var length = ImapSyntax.LiteralLength(Encoding.UTF8.GetBytes(line))
                    ?? throw wire.Garbage(new FormatException("a literal's length is not readable"));
                var octets = await ReadLiteralAsync(length, LargestScript - held, "script", cancel);
                held += (int)length;
                lines.Add(new AnswerLine(octets, await ReadLineAsync(cancel)));
            }
            else if (ReadQuoted(line) is { } quoted)
            {
                lines.Add(quoted);
            }
        }
        throw wire.Break(Cause.ProtocolBroken, $"the server's answer has more than {MostLines} lines");
    }

    /// <summary>What a server says for people may follow as a literal, as errors of scripts with many lines do (RFC 5804 §1.3).</summary>
    private async Task<string> WithTextAsync(string line, CancellationToken cancel)
    {
        if (ImapSyntax.LiteralLength(Encoding.UTF8.GetBytes(line)) is not { } length)
            return line;
        var text = Encoding.UTF8.GetString(await ReadLiteralAsync(length, LargestText, "text", cancel));
        await ReadLineAsync(cancel);
        return $"{line[..line.LastIndexOf('{')]}\"{string.Join(' ', text.Split(['\r', '\n'], StringSplitOptions.RemoveEmptyEntries))}\"";
    }

    public static FaultException Refused(string whom, string what, string said, Cause cause) =>
        new(new Fault(cause, whom, $"{what}: {said}"), Verdict.Close);

    public static string Quote(string text) =>
        $"\"{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";

    private static AnswerLine? ReadQuoted(string line)
    {
        if (line.Length < 2 || line[0] != '"')
            return null;
        var text = new StringBuilder();
        for (var at = 1; at < line.Length; at++)
        {
            if (line[at] == '"')
                return new AnswerLine(Encoding.UTF8.GetBytes(text.ToString()), line[(at + 1)..]);
            if (line[at] == '\\' && at + 1 < line.Length)
                at++;
            text.Append(line[at]);
        }
        return null;
    }

    private static bool Begins(string line, string word) => line.StartsWith(word, StringComparison.OrdinalIgnoreCase);

    private async Task<byte[]> ReadLiteralAsync(long length, int most, string what, CancellationToken cancel) =>
        length <= most
            ? await wire.ReadOctetsAsync((int)length, cancel)
            : throw wire.Break(Cause.ProtocolBroken, $"the server tells a {what} of an impossible size");

    private async Task<string> ReadLineAsync(CancellationToken cancel)
    {
        var line = await wire.ReadLineAsync(cancel);
        return line.Length <= LongestLine
            ? Encoding.UTF8.GetString(line.Span)
            : throw wire.Break(Cause.ProtocolBroken, "what answers does not speak ManageSieve: an endless line");
    }

    public ValueTask DisposeAsync() => wire.DisposeAsync();

    [GeneratedRegex("\\(SASL \"([A-Za-z0-9+/=]*)\"\\)", RegexOptions.IgnoreCase)]
    private static partial Regex FinalWord();
}
