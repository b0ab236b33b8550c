using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.SignIn;
using MailKit.Security;

namespace EasyCaravan.Protocols.ManageSieve;

/// <summary>An account's mail rules over ManageSieve (RFC 5804).</summary>
public sealed class ManageSieveAccount : IForwardingRules
{
    /// <summary>For a whole visit: some commands, each answered at once by any server that is well.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(60);

    private readonly ManageSieveConnection _talk;
    private readonly Service _service;
    private readonly Credentials _who;
    private readonly ManageSieveOffer _offer;

    private ManageSieveAccount(ManageSieveConnection talk, Service service, Credentials who, ManageSieveOffer offer) =>
        (_talk, _service, _who, _offer) = (talk, service, who, offer);

    public IReadOnlySet<string> Extensions => _offer.Extensions;

    /// <exception cref="FaultException">It could not be signed in to.</exception>
    public static async Task<ManageSieveAccount> OpenAsync(
        Service service,
        Credentials who,
        AccessTokens? tokens,
        Action<ConnectStep>? step,
        CancellationToken cancel
    )
    {
        var talk = await ConnectAsync(service, step, cancel);
        try
        {
            return await InTimeAsync(
                service,
                async patience =>
                {
                    var offer = await talk.ReadGreetingAsync(patience);
                    await SignInAsync(talk, service, who, tokens, offer.Mechanisms, patience);
                    step?.Invoke(new ConnectStep("sign in", $"as {who.Login}"));
                    return new ManageSieveAccount(talk, service, who, offer);
                },
                cancel
            );
        }
        catch
        {
            await talk.DisposeAsync();
            throw;
        }
    }

    /// <summary>Connects and hears the greeting, without signing in.</summary>
    public static async Task TryConnectingAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel)
    {
        await using var talk = await ConnectAsync(service, step, cancel);
        await InTimeAsync(service, talk.ReadGreetingAsync, cancel);
    }

    /// <summary>LISTSCRIPTS (RFC 5804 §2.7): the active one is marked.</summary>
    public async Task<IReadOnlyList<RuleScript>> ListAsync(CancellationToken cancel)
    {
        var list = await AskAsync("LISTSCRIPTS", Cause.NotPermitted, "the list of scripts was refused", cancel);
        return [.. list.Select(l => new RuleScript(l.Text, l.After.Trim().Equals("ACTIVE", StringComparison.OrdinalIgnoreCase)))];
    }

    /// <summary>GETSCRIPT (RFC 5804 §2.9).</summary>
    public async Task<ReadOnlyMemory<byte>> ReadAsync(string name, CancellationToken cancel)
    {
        var script = await AskAsync(
            $"GETSCRIPT {ManageSieveConnection.Quote(name)}",
            Cause.NotPermitted,
            $"the script '{name}' cannot be read",
            cancel
        );
        return script.Count == 0 ? ReadOnlyMemory<byte>.Empty : script[0].Octets;
    }

    /// <summary>CHECKSCRIPT (RFC 5804 §2.12); a server that does not know it checks when a script is put there.</summary>
    public async Task CheckAsync(ReadOnlyMemory<byte> script, CancellationToken cancel)
    {
        if (_offer.Checks)
            await AskAsync(p => _talk.SayAsync("CHECKSCRIPT", script, p), Cause.RulesRefused, NotTaken, cancel);
    }

    /// <summary>PUTSCRIPT (RFC 5804 §2.6).</summary>
    public async Task WriteAsync(string name, ReadOnlyMemory<byte> script, CancellationToken cancel) =>
        await AskAsync(
            p => _talk.SayAsync($"PUTSCRIPT {ManageSieveConnection.Quote(name)}", script, p),
            Cause.RulesRefused,
            NotTaken,
            cancel
        );

    private string NotTaken => $"{_service.Name} does not take the script";

    /// <summary>SETACTIVE (RFC 5804 §2.8): the empty name switches all off.</summary>
    public async Task ActivateAsync(string? name, CancellationToken cancel) =>
        await AskAsync(
            $"SETACTIVE {ManageSieveConnection.Quote(name ?? "")}",
            Cause.RulesRefused,
            name is null ? "its rules cannot be switched off" : $"the script '{name}' cannot be activated",
            cancel
        );

    /// <summary>DELETESCRIPT (RFC 5804 §2.10).</summary>
    public async Task RemoveAsync(string name, CancellationToken cancel) =>
        await AskAsync(
            $"DELETESCRIPT {ManageSieveConnection.Quote(name)}",
            Cause.RulesRefused,
            $"the script '{name}' cannot be removed",
            cancel
        );

    public ValueTask DisposeAsync() => _talk.DisposeAsync();

    private Task<IReadOnlyList<AnswerLine>> AskAsync(string command, Cause cause, string refused, CancellationToken cancel) =>
        AskAsync(patience => _talk.SayAsync(command, patience), cause, refused, cancel);

    private Task<IReadOnlyList<AnswerLine>> AskAsync(
        Func<CancellationToken, Task> say,
        Cause cause,
        string refused,
        CancellationToken cancel
    ) =>
        InTimeAsync(
            _service,
            async patience =>
            {
                await say(patience);
                var answer = await _talk.AnswerAsync(patience);
                return answer.Ok ? answer.Lines : throw ManageSieveConnection.Refused(_who.Account, refused, answer.Said, cause);
            },
            cancel
        );

    private static async Task<T> InTimeAsync<T>(Service service, Func<CancellationToken, Task<T>> talk, CancellationToken cancel)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        try
        {
            return await talk(patience.Token);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new FaultException(
                new Fault(Cause.TimedOut, service.Name, $"the rules were not told within {s_patience.TotalSeconds:0} s"),
                Verdict.Close
            );
        }
    }

    private static async Task<ManageSieveConnection> ConnectAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel)
    {
        var endpoint = new Endpoint(service.Name, service.Rules!.Host, service.Rules.Port, service.Rules.Security, service.Trust);
        var stream = await Connector.ConnectAsync(endpoint, UpgradeAsync, step, cancel);
        return new ManageSieveConnection(new LineConnection(stream, service.Name, s_patience) { Service = service.Name });
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
}
