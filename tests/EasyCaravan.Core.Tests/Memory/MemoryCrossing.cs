using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Notifying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>The worker was lost at this moment.</summary>
internal sealed class KilledException : Exception;

/// <summary>The crossing of one person between two services in memory, which may be killed at any call.</summary>
internal sealed class MemoryCrossing : ICrossingRecord, IMailAccounts
{
    public const string From = "aoife@saltmarsh.example",
        To = "aoife@northquay.example";

    private static readonly Service s_service = new(
        "lanternpost",
        new MailConnection(MailProtocol.Imap, "h", 993, Security.Tls),
        new SignIn.Password(null),
        new Trust.System(),
        Limits.Default
    );

    private int _calls;

    public HurriedClock Clock { get; } = new(MemoryRoad.Began);

    public MemoryMail Old { get; } = new();

    public MemoryMail New { get; } = new();

    public MemoryRules Rules { get; } = new();

    /// <summary>What becomes of a message to the old address that is forwarded.</summary>
    public Action<byte[]> Deliver { get; set; }

    /// <summary>Calls until the worker is lost; null: never.</summary>
    public int? KillAfter { get; set; }

    public CrossingState State { get; set; } = new(CrossingGoal.Cross, CrossingStep.Gates, Instant.MinValue);

    public List<Gate> Gates { get; private set; } = [];

    public HashSet<GateKind> Accepted { get; } = [GateKind.Informed, GateKind.OwnRules];

    public ForwardingNote? Note { get; set; }

    public List<Probe> Probes { get; } = [];

    public List<(CrossingAct Act, string? Outcome)> Acts { get; } = [];

    public bool IsForgotten { get; private set; }

    public int Compared { get; private set; }

    public int Sent { get; private set; }

    public List<string> Journal { get; } = [];

    public Instant? ForwardingUntil { get; set; }

    public ForwardingConfirmation? Confirmation { get; set; }

    public bool HasRules { get; set; } = true;

    public string? ForwardTo { get; set; }

    public AddressMessage? Answer { get; set; }

    public Func<string, CancellationToken, Task>? HandBack { get; set; }

    private readonly string _to;

    public MemoryCrossing(bool sameAddress = false)
    {
        _to = sameAddress ? From : To;
        Rules.Called = Call;
        Deliver = message => New.Folder("INBOX").Add(message, FlagSet.Empty, Clock.GetUtcNow());
    }

    public void Call()
    {
        _calls++;
        if (KillAfter is not { } left)
            return;
        KillAfter = left > 0 ? left - 1 : null;
        if (left == 0)
            throw new KilledException();
    }

    /// <summary>Runs until it waits, needs somebody, or has crossed; a worker that is lost is followed by another.</summary>
    /// <returns>How many calls were made.</returns>
    public int Run()
    {
        var before = _calls;
        for (var passes = 0; passes < 60; passes++)
        {
            try
            {
                var order = Order();
                var probes = new ProbeWatch(this, this, order, Journal.Add, Clock);
                var run = new CrossingRun(this, this, order, probes, Journal.Add, Clock);
                State = run.RunAsync(State, reached => State = reached, CancellationToken.None).GetAwaiter().GetResult();
            }
            catch (KilledException)
            {
                if (State.Due is null)
                    break;
                continue;
            }
            if (State is { Step: CrossingStep.Close })
                State = State.Reach(CrossingStep.Compare, Now);
            else if (State is { Step: CrossingStep.Probe or CrossingStep.Confirm, Due: { } due })
                Clock.Advance((due - Now).ToTimeSpan() is var wait && wait > TimeSpan.Zero ? wait : TimeSpan.FromSeconds(1));
            else
                break;
        }
        return _calls - before;
    }

    private Instant Now => Instant.FromDateTimeOffset(Clock.GetUtcNow());

    private CrossingOrder Order()
    {
        Task<Credentials> SignIn(string account) => Task.FromResult(new Credentials(account, account, "s"));
        return new CrossingOrder(
            new CrossingSide(s_service, From, _ => SignIn(From)),
            new CrossingSide(s_service with { Name = "northquay" }, _to, _ => SignIn(_to)),
            ForwardTo ?? _to,
            HasMail: true,
            HasRules ? _ => Task.FromResult<IForwardingRules>(Rules) : null,
            null,
            [new ProbeSender(ProbeWay.Outside, "desk@northquay.example", _ => Task.FromResult<IMessageSender>(new Sender(this)))],
            Confirmation,
            HandBack,
            Answer,
            CrossingPlan.Usual,
            new GateRecord(
                [new Carrying.LegState(Kind.Mail, Carrying.Stage.InStep) { EndedAt = Now }],
                10,
                0,
                0,
                LeftBehindTolerance.None,
                null,
                null
            ),
            ForwardingUntil,
            null,
            _ =>
            {
                Call();
                Compared++;
                return Task.CompletedTask;
            },
            _ =>
            {
                Call();
                return Task.FromResult("forgotten");
            }
        );
    }

    public Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel)
    {
        Call();
        return Task.FromResult<IMailAccount>(new MemoryAccount(service.Name == "northquay" ? New : Old));
    }

    public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
        await OpenAsync(service, credentials, cancel);

    private Task Do(Action act)
    {
        Call();
        act();
        // Lost right after it was written down, too.
        Call();
        return Task.CompletedTask;
    }

    public Task ReachAsync(CrossingState reached, CancellationToken cancel) => Do(() => State = reached);

    public Task KeepGatesAsync(IReadOnlyList<Gate> gates, CancellationToken cancel) => Do(() => Gates = [.. gates]);

    public Task ShowGateAsync(Gate gate, CancellationToken cancel) => Do(() => Gates = [.. Gates.Where(g => g.Kind != gate.Kind), gate]);

    public Task<IReadOnlySet<GateKind>> AcceptedAsync(CancellationToken cancel) => Task.FromResult<IReadOnlySet<GateKind>>(Accepted);

    public Task<ForwardingNote?> ForwardingAsync(CancellationToken cancel) => Task.FromResult(Note);

    public Task KeepForwardingAsync(ForwardingNote? note, CancellationToken cancel) => Do(() => Note = note);

    public Task<IReadOnlyList<Probe>> ProbesAsync(CancellationToken cancel) => Task.FromResult<IReadOnlyList<Probe>>([.. Probes]);

    public async Task<Probe> AddProbeAsync(Probe probe, CancellationToken cancel)
    {
        var added = probe with { Id = Probes.Count + 1 };
        await Do(() => Probes.Add(added));
        return added;
    }

    public Task UpdateProbeAsync(Probe probe, CancellationToken cancel) =>
        Do(() => Probes[Probes.FindIndex(p => p.Id == probe.Id)] = probe);

    public async Task<long> IntendAsync(CrossingAct act, string what, CancellationToken cancel)
    {
        await Do(() => Acts.Add((act, null)));
        return Acts.Count - 1;
    }

    public Task OutcomeAsync(long act, string outcome, CancellationToken cancel) =>
        Do(() => Acts[(int)act] = (Acts[(int)act].Act, outcome));

    public Task WantComparisonAsync(Instant since, double share, CancellationToken cancel) => Do(() => { });

    public Task ForgetAsync(CancellationToken cancel) => Do(() => IsForgotten = true);

    /// <summary>The server that delivers: to the old mailbox, and on to the new one where a script of it says so.</summary>
    private sealed class Sender(MemoryCrossing crossing) : IMessageSender
    {
        public Task<LetterEnd> SendAsync(OutgoingLetter letter, Func<CancellationToken, Task<bool>> beforeData, CancellationToken cancel) =>
            throw new NotSupportedException();

        public Task<LetterEnd> SendOctetsAsync(string from, string to, ReadOnlyMemory<byte> message, CancellationToken cancel)
        {
            crossing.Call();
            crossing.Sent++;
            crossing.Old.Folder("INBOX").Add(message.ToArray(), FlagSet.Empty, crossing.Clock.GetUtcNow());
            if (crossing.Rules.Active is "easy-caravan-forwarding")
                crossing.Deliver([.. "Received: by new\r\n"u8, .. message.Span]);
            crossing.Call();
            return Task.FromResult<LetterEnd>(new LetterEnd.Taken("250 ok"));
        }

        public ValueTask DisposeAsync() => ValueTask.CompletedTask;
    }
}

/// <summary>An account's mail rules in memory.</summary>
internal sealed class MemoryRules : IForwardingRules
{
    public Dictionary<string, byte[]> Scripts { get; } = [];

    public string? Active { get; set; }

    public Action Called { get; set; } = () => { };

    /// <summary>What happens right before a script is put there.</summary>
    public Action BeforeWriting { get; set; } = () => { };

    public IReadOnlySet<string> Extensions { get; set; } = new HashSet<string> { "copy", "include" };

    public Task<IReadOnlyList<RuleScript>> ListAsync(CancellationToken cancel)
    {
        Called();
        return Task.FromResult<IReadOnlyList<RuleScript>>([.. Scripts.Keys.Select(n => new RuleScript(n, n == Active))]);
    }

    public Task<ReadOnlyMemory<byte>> ReadAsync(string name, CancellationToken cancel)
    {
        Called();
        return Task.FromResult<ReadOnlyMemory<byte>>(Scripts[name]);
    }

    public Task CheckAsync(ReadOnlyMemory<byte> script, CancellationToken cancel) => Task.CompletedTask;

    public Task WriteAsync(string name, ReadOnlyMemory<byte> script, CancellationToken cancel)
    {
        BeforeWriting();
        Called();
        Scripts[name] = script.ToArray();
        Called();
        return Task.CompletedTask;
    }

    public Task ActivateAsync(string? name, CancellationToken cancel)
    {
        Called();
        Active = name;
        Called();
        return Task.CompletedTask;
    }

    public Task RemoveAsync(string name, CancellationToken cancel)
    {
        Called();
        Scripts.Remove(name);
        Called();
        return Task.CompletedTask;
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;
}
