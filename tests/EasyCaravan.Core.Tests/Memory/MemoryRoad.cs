using System.Text;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>One person's move between two services in memory, pass after pass.</summary>
internal sealed class MemoryRoad : IMailAccounts
{
    private static readonly Service s_somewhere = new(
        "from",
        new MailConnection(MailProtocol.Imap, "h", 993, Security.Tls),
        new SignIn.Password(null),
        new Trust.System(),
        Limits.Default
    );

    public MemoryMail From { get; } = new();

    public MemoryMail To { get; } = new();

    public MemoryLedger Ledger { get; } = new();

    private bool _firstEnded;

    /// <summary>When its first pass began.</summary>
    public static readonly DateTimeOffset Began = new(2026, 3, 2, 9, 0, 0, TimeSpan.Zero);

    /// <summary>Mail is forwarded to the new account.</summary>
    public bool IsForwarded { get; set; }

    public Microsoft.Extensions.Time.Testing.FakeTimeProvider Clock { get; } = new(Began.AddHours(6));

    /// <summary>Message-IDs of probes.</summary>
    public HashSet<string> Probes { get; } = [];

    public List<string> Journal { get; } = [];

    public int Lanes { get; set; } = 1;

    public PoisonMessages? PoisonMessages { get; set; }

    /// <summary>Sessions that passes have asked for.</summary>
    public int Opened { get; private set; }

    public CarryRules Rules { get; set; } = new([], new MailRules(null, null), Doubles.Pair);

    /// <summary>The first pass, again until one comes to its end; then catch-ups.</summary>
    public void Run()
    {
        new MailLeg(this, Ledger, Order(isFirst: !_firstEnded), new Tally(), Journal.Add)
            .RunAsync(CancellationToken.None)
            .GetAwaiter()
            .GetResult();
        _firstEnded = true;
    }

    public void Compare() =>
        new Comparison(
            Ledger,
            [new ComparedKind(Kind.Mail, new MailComparison(this, Ledger, Order(isFirst: false), new Tally(), Journal.Add).CompareAsync)],
            Journal.Add
        )
            .RunAsync(CancellationToken.None)
            .GetAwaiter()
            .GetResult();

    private MailLegOrder Order(bool isFirst)
    {
        var from = new Side(s_somewhere, new Credentials("a", "a", "s"));
        var to = new Side(s_somewhere with { Name = "to" }, new Credentials("b", "b", "s"));
        return new MailLegOrder(isFirst, from, to, Rules, Lanes)
        {
            PoisonMessages = PoisonMessages,
            Began = Began,
            Forwarded = IsForwarded
                ? new ForwardedMail(Began, new Dictionary<FolderPath, ItemKey>(), new Dictionary<FolderPath, ItemKey>())
                : null,
            Time = Clock,
            Probes = Probes,
        };
    }

    public Waybill Waybill() => Proving.Waybill.Draw(Ledger.FoldersAsync(CancellationToken.None).GetAwaiter().GetResult());

    public static byte[] Message(int i, bool withId = true, string body = "body") =>
        Encoding.Latin1.GetBytes(
            $"From: desk@saltmarsh.example\r\nSubject: Tide {i}\r\n{(withId ? $"Message-ID: <{i}@saltmarsh.example>\r\n" : "")}\r\n"
                + $"{body} {i}"
        );

    public Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel)
    {
        Opened++;
        return Task.FromResult<IMailAccount>(new MemoryAccount(service.Name == "to" ? To : From));
    }

    public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
        await OpenAsync(service, credentials, cancel);
}
