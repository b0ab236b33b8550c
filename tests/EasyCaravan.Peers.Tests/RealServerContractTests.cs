using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.Pop3;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Peers.Tests;

/// <summary>The IMAP adapter at real servers: mail is put there and folders are made by a client of the tests' own.</summary>
public abstract class RealServerContractTests : MailAccountContract
{
    protected const string Login = "contract@saltmarsh.example";

    private bool _made;

    protected abstract int Port { get; }

    protected virtual string Account => Login;

    /// <summary>The folder as this server writes it.</summary>
    protected virtual string Written => Folder.ToString();

    protected override async Task<IMailAccount> OpenAsync() =>
        await ImapMailAccount.OpenAsync(
            ServiceAt(MailProtocol.Imap, Port),
            new Credentials(Account, Account, TwoServers.Password),
            null,
            null,
            null,
            None
        );

    protected override async Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        using var imap = await PlainImap.SignInAsync(Port, Account, TwoServers.Password);
        if (!_made)
            await imap.RunAsync($"CREATE \"{Written}\"");
        _made = true;
        await imap.AppendEachAsync(Written, [(flags, received, octets)]);
    }

    internal static Core.Planning.Service ServiceAt(MailProtocol protocol, int port) =>
        new(
            "peer",
            new MailConnection(protocol, "127.0.0.1", port, Security.None),
            new SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        );
}

[Collection("one at a time: a server that is killed serves all")]
public sealed class DovecotContractTests(TwoServers servers) : RealServerContractTests
{
    protected override int Port => servers.From.PlainPort;

    protected override string Account { get; } = servers.NewAccounts(1)[0];
}

/// <summary>A Dovecot whose folders are divided by dots.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class DottedDovecotContractTests(TwoServers servers) : RealServerContractTests
{
    protected override int Port => servers.To.PlainPort;

    protected override string Account { get; } = servers.NewAccounts(1)[0];
}

public sealed class CyrusFixture : IAsyncLifetime
{
    internal CyrusServer Server { get; private set; } = null!;

    public async ValueTask InitializeAsync() =>
        Server = await CyrusServer.StartAsync([("contract@saltmarsh.example", TwoServers.Password)]);

    public ValueTask DisposeAsync() => Server.DisposeAsync();
}

[Collection("one at a time: a server that is killed serves all")]
public sealed class CyrusContractTests(CyrusFixture cyrus) : RealServerContractTests, IClassFixture<CyrusFixture>
{
    protected override int Port => cyrus.Server.Port;
}

public sealed class CourierFixture : IAsyncLifetime
{
    internal CourierServer Server { get; private set; } = null!;

    public async ValueTask InitializeAsync() =>
        Server = await CourierServer.StartAsync([("contract@saltmarsh.example", TwoServers.Password)]);

    public ValueTask DisposeAsync() => Server.DisposeAsync();
}

[Collection("one at a time: a server that is killed serves all")]
public sealed class CourierContractTests(CourierFixture courier) : RealServerContractTests, IClassFixture<CourierFixture>
{
    protected override int Port => courier.Server.Port;

    protected override string Written => $"INBOX.{Folder}";
}

public sealed class Pop3Fixture : IAsyncLifetime
{
    private int _accounts;

    internal DovecotServer Server { get; private set; } = null!;

    public async ValueTask InitializeAsync()
    {
        Server = await DovecotServer.StartAsync('/', new DovecotManners(Pop3: true));
        Server.SetUsers([.. Enumerable.Range(1, 20).Select(i => ($"p{i}@saltmarsh.example", TwoServers.Password, (string?)null))]);
    }

    public string NewAccount() => $"p{++_accounts}@saltmarsh.example";

    public ValueTask DisposeAsync() => Server.DisposeAsync();
}

/// <summary>The POP3 adapter at a real server, where mail is put by IMAP.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class DovecotPop3ContractTests(Pop3Fixture pop3) : MailReadingContract, IClassFixture<Pop3Fixture>
{
    private readonly string _account = pop3.NewAccount();
    private readonly Numbers _numbers = new();

    protected override FolderPath Folder => FolderPath.Inbox;

    protected override bool KeepsIndex => false;

    protected override async Task<IMailAccount> OpenAsync() =>
        await Pop3MailAccount.OpenAsync(
            RealServerContractTests.ServiceAt(MailProtocol.Pop3, pop3.Server.Pop3Port),
            new Credentials(_account, _account, TwoServers.Password),
            null,
            _numbers,
            null,
            null,
            None
        );

    protected override async Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        using var imap = await PlainImap.SignInAsync(pop3.Server.PlainPort, _account, TwoServers.Password);
        await imap.AppendAsync("INBOX", [(flags, received, octets)]);
    }

    private sealed class Numbers : IItemNumbers
    {
        private readonly Dictionary<string, uint> _known = [];

        public Task<IReadOnlyList<uint>> NumberAsync(string service, string account, IReadOnlyList<string> names, CancellationToken cancel)
        {
            foreach (var name in names)
                _known.TryAdd(name, (uint)_known.Count + 1);
            return Task.FromResult<IReadOnlyList<uint>>([.. names.Select(n => _known[n])]);
        }
    }
}
