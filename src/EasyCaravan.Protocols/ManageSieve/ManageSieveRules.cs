using System.Collections.Immutable;
using System.Text;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.SignIn;
using MailKit.Security;

namespace EasyCaravan.Protocols.ManageSieve;

/// <summary>Reads an account's mail rules over ManageSieve (RFC 5804), and changes nothing.</summary>
public static partial class ManageSieveRules
{
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(60);

    /// <summary>Where the active script forwards mail to: the addresses of its redirect actions (RFC 5228 §4.2), each once.</summary>
    /// <exception cref="FaultException">The rules could not be read.</exception>
    public static async Task<ImmutableArray<string>> ReadForwardsAsync(
        Service service,
        Credentials who,
        AccessTokens? tokens,
        Action<ConnectStep>? step,
        CancellationToken cancel
    )
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        try
        {
            await using var talk = await ConnectAsync(service, step, patience.Token);
            var mechanisms = await talk.ReadGreetingAsync(patience.Token);
            await SignInAsync(talk, service, who, tokens, mechanisms, patience.Token);
            step?.Invoke(new ConnectStep("sign in", $"as {who.Login}"));
            await talk.SayAsync("LISTSCRIPTS", patience.Token);
            var list = await talk.AnswerAsync(patience.Token);
            if (!list.Ok)
                throw ManageSieveConnection.Refused(who.Account, "the list of scripts was refused", list.Said, Cause.NotPermitted);
            // RFC 5804 §2.7: the active one is marked.
            if (list.Lines.FirstOrDefault(l => l.After.Trim().Equals("ACTIVE", StringComparison.OrdinalIgnoreCase)).Text is not { } active)
                return [];
            await talk.SayAsync($"GETSCRIPT {ManageSieveConnection.Quote(active)}", patience.Token);
            var script = await talk.AnswerAsync(patience.Token);
            if (!script.Ok)
                throw ManageSieveConnection.Refused(who.Account, $"the script '{active}' cannot be read", script.Said, Cause.NotPermitted);
            return RedirectsOf(string.Concat(script.Lines.Select(l => l.Text)));
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new FaultException(
                new Fault(Cause.TimedOut, service.Name, $"the rules were not told within {s_patience.TotalSeconds:0} s"),
                Verdict.Close
            );
        }
    }

    /// <summary>Connects and hears the greeting, without signing in.</summary>
    public static async Task TryConnectingAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel)
    {
        await using var talk = await ConnectAsync(service, step, cancel);
        await talk.ReadGreetingAsync(cancel);
    }

    private static async Task<ManageSieveConnection> ConnectAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel)
    {
        var endpoint = new Endpoint(service.Name, service.Rules!.Host, service.Rules.Port, service.Rules.Security, service.Trust);
        var stream = await Connector.ConnectAsync(endpoint, UpgradeAsync, step, cancel);
        return new ManageSieveConnection(new LineConnection(stream, service.Name, s_patience) { Service = service.Name });
    }

    /// <summary>Comments and other strings are skipped; actions inside a test are counted too, because they may be executed.</summary>
    internal static ImmutableArray<string> RedirectsOf(string script)
    {
        var found = new List<string>();
        var plain = Comments().Replace(script, m => m.Value[0] == '"' ? m.Value : " ");
        foreach (Match match in Redirect().Matches(plain))
            found.Add(match.Groups[1].Value.Replace("\\\"", "\"", StringComparison.Ordinal));
        return [.. found.Distinct(StringComparer.OrdinalIgnoreCase)];
    }

    private static async Task<byte[]> UpgradeAsync(StartTlsDialog talk, CancellationToken cancel)
    {
        string line;
        do line = await talk.HearAsync(cancel);
        while (line.StartsWith('"'));
        if (!line.StartsWith("OK", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.ServiceBusy, $"the server did not greet: \"{line}\"");
        await talk.SayAsync("STARTTLS", cancel);
        line = await talk.HearAsync(cancel);
        if (!line.StartsWith("OK", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.TlsNotOffered, $"the server refused STARTTLS: \"{line}\"");
        // RFC 5804 §2.2: after TLS the server tells its capabilities again, unasked. That is the greeting then.
        return [];
    }

    private static async Task SignInAsync(
        ManageSieveConnection talk,
        Service service,
        Credentials who,
        AccessTokens? tokens,
        HashSet<string> mechanisms,
        CancellationToken cancel
    )
    {
        var mechanism = service.SignIn switch
        {
            Core.Planning.SignIn.OAuth when mechanisms.Contains("OAUTHBEARER") => new SaslMechanismOAuthBearer(
                who.Login,
                (await tokens!.GetAsync(service, who, null, cancel)).Value
            ),
            Core.Planning.SignIn.OAuth => new SaslMechanismOAuth2(who.Login, (await tokens!.GetAsync(service, who, null, cancel)).Value),
            Core.Planning.SignIn.OnBehalf { LoginPattern: null } onBehalf => new SaslMechanismPlain(onBehalf.Admin, who.Secret)
            {
                AuthorizationId = who.Login,
            },
            Core.Planning.SignIn.OnBehalf onBehalf => PasswordMechanism.Strongest(mechanisms, onBehalf.LoginFor(who.Login)!, who.Secret),
            _ => PasswordMechanism.Strongest(mechanisms, who.Login, who.Secret),
        };
        if (mechanism is null || !mechanisms.Contains(mechanism.MechanismName))
            throw new FaultException(
                new Fault(
                    Cause.SignInRefused,
                    who.Account,
                    $"{service.Name} offers no way to sign in for rules that fits ({string.Join(", ", mechanisms)})"
                ),
                Verdict.Close
            );
        var refusal = await talk.AuthenticateAsync(mechanism, cancel);
        if (refusal is not null)
            throw ManageSieveConnection.Refused(
                who.Account,
                $"{service.Name} refused the sign-in of {who.Login} for rules",
                refusal,
                Cause.SignInRefused
            );
        PasswordMechanism.RequireProof(mechanism, service);
    }

    [GeneratedRegex("\"(?:[^\"\\\\]|\\\\.)*\"|#[^\n]*|/\\*.*?\\*/", RegexOptions.Singleline)]
    private static partial Regex Comments();

    [GeneratedRegex("\\bredirect\\b(?:\\s+:[a-z]+(?:\\s+\"[^\"]*\")?)*\\s+\"((?:[^\"\\\\]|\\\\.)*)\"", RegexOptions.IgnoreCase)]
    private static partial Regex Redirect();
}
