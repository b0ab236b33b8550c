using System.Collections.Immutable;
using System.Text;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.SignIn;
using MailKit.Security;

namespace EasyCaravan.Protocols.ManageSieve;

/// <summary>Reads an account's mail rules over ManageSieve (RFC 5804), and changes nothing.</summary>
public static partial class ManageSieveRules
{
    /// <summary>Rules are written by hand: one of more than this is not read.</summary>
    private const int LargestScript = 1_000_000;

    /// <summary>Octets of one challenge, and steps of one sign-in.</summary>
    private const int LargestChallenge = 8192, MostSteps = 8;

    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(60);

    /// <summary>Where the active script forwards mail to: the addresses of its redirect actions (RFC 5228 §4.2), each once.</summary>
    /// <exception cref="FaultException">The rules could not be read.</exception>
    public static async Task<ImmutableArray<string>> ReadForwardsAsync(Service service, Credentials who, AccessTokens? tokens, Action<ConnectStep>? step, CancellationToken cancel)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        try
        {
            await using var stream = await Connector.ConnectAsync(EndpointOf(service), UpgradeAsync, step, patience.Token);
            var talk = new Talk(stream, service.Name);
            var mechanisms = await talk.ReadGreetingAsync(patience.Token);
            await SignInAsync(talk, service, who, tokens, mechanisms, patience.Token);
            step?.Invoke(new ConnectStep("sign in", $"as {who.Login}"));
            await talk.SayAsync("LISTSCRIPTS", patience.Token);
            var list = await talk.AnswerAsync(patience.Token);
            if (!list.Ok) throw Talk.Refused(who.Account, "the list of scripts was refused", list.Said, Cause.NotPermitted);
            // RFC 5804 §2.7: the active one is marked.
            if (list.Lines.FirstOrDefault(l => l.After.Trim().Equals("ACTIVE", StringComparison.OrdinalIgnoreCase)).Text is not { } active) return [];
            await talk.SayAsync($"GETSCRIPT {Quote(active)}", patience.Token);
            var script = await talk.AnswerAsync(patience.Token);
            if (!script.Ok) throw Talk.Refused(who.Account, $"the script '{active}' cannot be read", script.Said, Cause.NotPermitted);
            return RedirectsOf(string.Concat(script.Lines.Select(l => l.Text)));
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new FaultException(new Fault(Cause.TimedOut, service.Name, $"the rules were not told within {s_patience.TotalSeconds:0} s"), Verdict.Close);
        }
        catch (IOException e)
        {
            throw new FaultException(new Fault(Cause.ConnectionLost, service.Name, "the connection for rules was lost"), Verdict.Close, e);
        }
    }

    /// <summary>Connects and hears the greeting, without signing in.</summary>
    public static async Task TryConnectingAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel)
    {
        await using var stream = await Connector.ConnectAsync(EndpointOf(service), UpgradeAsync, step, cancel);
        await new Talk(stream, service.Name).ReadGreetingAsync(cancel);
    }

    private static Endpoint EndpointOf(Service service) => new(service.Name, service.Rules!.Host, service.Rules.Port, service.Rules.Security, service.Trust);

    /// <summary>Comments and other strings are passed over; what a test guards is counted too, as it may come to be.</summary>
    internal static ImmutableArray<string> RedirectsOf(string script)
    {
        var found = new List<string>();
        var plain = Comments().Replace(script, m => m.Value[0] == '"' ? m.Value : " ");
        foreach (Match match in Redirect().Matches(plain)) found.Add(match.Groups[1].Value.Replace("\\\"", "\"", StringComparison.Ordinal));
        return [.. found.Distinct(StringComparer.OrdinalIgnoreCase)];
    }

    private static async Task<byte[]> UpgradeAsync(StartTlsDialog talk, CancellationToken cancel)
    {
        string line;
        do line = await talk.HearAsync(cancel);
        while (line.StartsWith('"'));
        if (!line.StartsWith("OK", StringComparison.OrdinalIgnoreCase)) throw talk.Refused(Cause.ServiceBusy, $"the server did not greet: \"{line}\"");
        await talk.SayAsync("STARTTLS", cancel);
        line = await talk.HearAsync(cancel);
        if (!line.StartsWith("OK", StringComparison.OrdinalIgnoreCase)) throw talk.Refused(Cause.TlsNotOffered, $"the server refused STARTTLS: \"{line}\"");
        // RFC 5804 §2.2: after TLS the server tells its capabilities again, unasked. That is the greeting then.
        return [];
    }

    private static async Task SignInAsync(Talk talk, Service service, Credentials who, AccessTokens? tokens, HashSet<string> mechanisms, CancellationToken cancel)
    {
        var mechanism = service.SignIn switch
        {
            Core.Planning.SignIn.OAuth when mechanisms.Contains("OAUTHBEARER") => new SaslMechanismOAuthBearer(who.Login, (await tokens!.GetAsync(service, who, null, cancel)).Value),
            Core.Planning.SignIn.OAuth => new SaslMechanismOAuth2(who.Login, (await tokens!.GetAsync(service, who, null, cancel)).Value),
            Core.Planning.SignIn.OnBehalf { LoginPattern: null } onBehalf => new SaslMechanismPlain(onBehalf.Admin, who.Secret) { AuthorizationId = who.Login },
            Core.Planning.SignIn.OnBehalf onBehalf => PasswordMechanism.Strongest(mechanisms, onBehalf.LoginFor(who.Login)!, who.Secret),
            _ => PasswordMechanism.Strongest(mechanisms, who.Login, who.Secret),
        };
        if (mechanism is null || !mechanisms.Contains(mechanism.MechanismName))
            throw new FaultException(new Fault(Cause.SignInRefused, who.Account, $"{service.Name} offers no way to sign in for rules that fits ({string.Join(", ", mechanisms)})"), Verdict.Close);
        var refusal = await talk.AuthenticateAsync(mechanism, cancel);
        if (refusal is not null) throw Talk.Refused(who.Account, $"{service.Name} refused the sign-in of {who.Login} for rules", refusal, Cause.SignInRefused);
        PasswordMechanism.RequireProof(mechanism, service);
    }

    private static string Quote(string text) => $"\"{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";

    [GeneratedRegex("\"(?:[^\"\\\\]|\\\\.)*\"|#[^\n]*|/\\*.*?\\*/", RegexOptions.Singleline)]
    private static partial Regex Comments();

    [GeneratedRegex("\\(SASL \"([A-Za-z0-9+/=]*)\"\\)", RegexOptions.IgnoreCase)]
    private static partial Regex FinalWord();

    [GeneratedRegex("\\bredirect\\b(?:\\s+:[a-z]+(?:\\s+\"[^\"]*\")?)*\\s+\"((?:[^\"\\\\]|\\\\.)*)\"", RegexOptions.IgnoreCase)]
    private static partial Regex Redirect();

    /// <summary>Lines and literals of RFC 5804 §1.2 and §4.</summary>
    private sealed class Talk(Stream stream, string service)
    {
        private readonly byte[] _ahead = new byte[4096];
        private int _at, _end;

        public async Task SayAsync(string line, CancellationToken cancel)
        {
            await stream.WriteAsync(Encoding.UTF8.GetBytes(line + "\r\n"), cancel);
            await stream.FlushAsync(cancel);
        }

        public async Task<HashSet<string>> ReadGreetingAsync(CancellationToken cancel)
        {
            var greeting = await AnswerAsync(cancel);
            if (!greeting.Ok) throw Refused(service, "the server did not greet", greeting.Said, Cause.ServiceBusy);
            var sasl = greeting.Lines.FirstOrDefault(l => l.Text.Equals("SASL", StringComparison.OrdinalIgnoreCase)).After ?? "";
            return [.. sasl.Trim().Trim('"').Split(' ', StringSplitOptions.RemoveEmptyEntries)];
        }

        /// <summary>AUTHENTICATE (RFC 5804 §2.1), as many steps as the mechanism has. Null when the server lets us in; else what it said.</summary>
        public async Task<string?> AuthenticateAsync(SaslMechanism mechanism, CancellationToken cancel)
        {
            try
            {
                var first = mechanism.SupportsInitialResponse ? $" \"{await mechanism.ChallengeAsync(null, cancel)}\"" : "";
                await SayAsync($"AUTHENTICATE \"{mechanism.MechanismName}\"{first}", cancel);
                for (var steps = 0; steps < MostSteps; steps++)
                {
                    var line = await LineAsync(cancel);
                    if (line.StartsWith("NO", StringComparison.OrdinalIgnoreCase) || line.StartsWith("BYE", StringComparison.OrdinalIgnoreCase)) return line;
                    if (line.StartsWith("OK", StringComparison.OrdinalIgnoreCase))
                    {
                        // The server's last word may stand in the answer itself.
                        if (FinalWord().Match(line) is { Success: true } final && !mechanism.IsAuthenticated) await mechanism.ChallengeAsync(final.Groups[1].Value, cancel);
                        return null;
                    }
                    await SayAsync($"\"{await mechanism.ChallengeAsync(await ChallengeAsync(line, cancel), cancel)}\"", cancel);
                }
                return "the sign-in has no end";
            }
            catch (Exception e) when (e is SaslException or FormatException)
            {
                return e.Message;
            }
        }

        private async Task<string> ChallengeAsync(string line, CancellationToken cancel)
        {
            if (!line.StartsWith('{')) return line.Trim('"');
            var size = int.TryParse(line.AsSpan(1).TrimEnd("+}"), out var octets) && octets is >= 0 and <= LargestChallenge ? octets : throw Refused(service, "the server tells a challenge of an impossible size", line, Cause.ProtocolBroken);
            var literal = new byte[size];
            for (var i = 0; i < size; i++) literal[i] = await OctetAsync(cancel);
            await LineAsync(cancel);
            return Encoding.ASCII.GetString(literal);
        }

        /// <summary>Everything up to the line that begins with OK, NO or BYE.</summary>
        public async Task<(bool Ok, List<(string Text, string After)> Lines, string Said)> AnswerAsync(CancellationToken cancel)
        {
            var lines = new List<(string, string)>();
            while (true)
            {
                var line = await LineAsync(cancel);
                if (line.StartsWith("OK", StringComparison.OrdinalIgnoreCase)) return (true, lines, line);
                if (line.StartsWith("NO", StringComparison.OrdinalIgnoreCase) || line.StartsWith("BYE", StringComparison.OrdinalIgnoreCase)) return (false, lines, line);
                if (line.StartsWith('{'))
                {
                    var size = int.TryParse(line.AsSpan(1).TrimEnd("+}"), out var octets) && octets is >= 0 and <= LargestScript ? octets : throw Refused(service, "the server tells a script of an impossible size", line, Cause.ProtocolBroken);
                    var literal = new byte[size];
                    for (var i = 0; i < size; i++) literal[i] = await OctetAsync(cancel);
                    lines.Add((Encoding.UTF8.GetString(literal), await LineAsync(cancel)));
                    continue;
                }
                var end = 1;
                while (end < line.Length && line[end] != '"') end += line[end] == '\\' ? 2 : 1;
                if (line.Length > 1 && line[0] == '"' && end < line.Length) lines.Add((line[1..end].Replace("\\\"", "\"", StringComparison.Ordinal).Replace("\\\\", "\\", StringComparison.Ordinal), line[(end + 1)..]));
            }
        }

        public static FaultException Refused(string whom, string what, string said, Cause cause) => new(new Fault(cause, whom, $"{what}: {said}"), Verdict.Close);

        private async Task<string> LineAsync(CancellationToken cancel)
        {
            var line = new List<byte>();
            while (line.Count < 8192)
            {
                var octet = await OctetAsync(cancel);
                if (octet == '\n') return Encoding.UTF8.GetString([.. line]).TrimEnd('\r');
                line.Add(octet);
            }
            throw Refused(service, "what answers does not speak ManageSieve", "an endless line", Cause.ProtocolBroken);
        }

        private async ValueTask<byte> OctetAsync(CancellationToken cancel)
        {
            if (_at == _end)
            {
                (_at, _end) = (0, await stream.ReadAsync(_ahead, cancel));
                if (_end == 0) throw new IOException("the connection was closed");
            }
            return _ahead[_at++];
        }
    }
}
