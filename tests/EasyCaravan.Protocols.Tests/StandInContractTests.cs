using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.StandIns;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests;

/// <summary>The IMAP adapter at a service that offers every extension.</summary>
public class StandInContractTests : RefusalContract, IAsyncLifetime
{
    private readonly StandInImap _server;
    private readonly StandInAccount _account;

    public StandInContractTests()
        : this(new StandInManners()) { }

    protected StandInContractTests(StandInManners manners)
    {
        _server = new StandInImap(manners);
        _account = _server.AddAccount("a@x.example", "secret");
    }

    public ValueTask InitializeAsync() => ValueTask.CompletedTask;

    public async ValueTask DisposeAsync()
    {
        GC.SuppressFinalize(this);
        await _server.DisposeAsync();
    }

    protected override async Task<IMailAccount> OpenAsync() =>
        await ImapMailAccount.OpenAsync(
            new Service(
                "s",
                new MailConnection(MailProtocol.Imap, "127.0.0.1", _server.Port, Security.None),
                new Core.Planning.SignIn.Password(null),
                new Trust.System(),
                Limits.Default
            ),
            new Credentials("a@x.example", "a@x.example", "secret"),
            null,
            null,
            null,
            None
        );

    protected override Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        lock (_account.Lock)
        {
            var folder = _account.Find(Folder.ToString()) ?? _account.Make(Folder.ToString());
            folder.Add(octets, flags.Split(' ', StringSplitOptions.RemoveEmptyEntries), received);
        }
        return Task.CompletedTask;
    }

    protected override Task RefuseAsync(Refusal refusal)
    {
        switch (refusal)
        {
            case Refusal.TooLarge:
                _server.Manners = _server.Manners with { LargestMessage = 1000 };
                break;
            case Refusal.NoRoom:
                _account.Quota = 1000;
                break;
            case Refusal.FolderName:
                _server.Manners = _server.Manners with { Reserved = new HashSet<string> { "refused" } };
                break;
            case Refusal.Cut:
                _account.DropAfter = 1;
                break;
        }
        return Task.CompletedTask;
    }
}

/// <summary>The same at one that offers nothing beyond RFC 3501.</summary>
public sealed class BareStandInContractTests()
    : StandInContractTests(
        new StandInManners(
            Without: new HashSet<string>
            {
                "UIDPLUS",
                "MULTIAPPEND",
                "LITERAL+",
                "LIST-EXTENDED",
                "LIST-STATUS",
                "SPECIAL-USE",
                "CREATE-SPECIAL-USE",
                "ESEARCH",
                "CONDSTORE",
                "QUOTA",
                "NAMESPACE",
            }
        )
    );
