using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav;
using EasyCaravan.StandIns;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Our DAV client at the stand-in, which the demonstration and the fault tests rely on.</summary>
public abstract class StandInDavTests(Kind kind) : CollectionAccountContract, IAsyncLifetime
{
    private const string Login = "aoife.marsh@saltmarsh.example";

    private readonly StandInDav _server = new(new StandInDavManners());

    protected override Kind Kind => kind;

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    public ValueTask InitializeAsync()
    {
        _server.AddAccount(Login, "secret");
        return ValueTask.CompletedTask;
    }

    public async ValueTask DisposeAsync()
    {
        GC.SuppressFinalize(this);
        await _server.DisposeAsync();
    }

    protected override async Task<ICollectionAccount> OpenAsync()
    {
        var place = new CollectionConnection.Dav(_server.Address);
        var service = new Service("northquay", null, new Core.Planning.SignIn.Password(null), new Trust.System(), Limits.Default)
        {
            Contacts = place,
            Calendars = place,
        };
        return await DavCollectionAccount.OpenAsync(
            service,
            kind,
            new Credentials(Login, Login, "secret"),
            null,
            null,
            null,
            null,
            [new MemoryStream()],
            Cancel
        );
    }

    [Fact]
    public async Task Its_faults_come_on_demand()
    {
        await using var account = await OpenAsync();
        var home = (await account.ListAsync(Cancel)).Single();
        Assert.True(home.IsDefault);
        var octets = Encoding.UTF8.GetBytes(
            kind is Kind.Contacts
                ? "BEGIN:VCARD\r\nVERSION:3.0\r\nUID:1\r\nFN:A\r\nPHOTO;ENCODING=b:AAAA\r\n BBBB\r\nN:A;;;;\r\nEND:VCARD\r\n"
                : "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nPHOTO:A\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        );
        _server.Manners = new StandInDavManners { DropsPhotos = true, TakesUidOnce = true };
        Assert.IsType<ItemWrite.Taken>(await account.AddAsync(home.Href.Item("a"), octets, Cancel));
        var stored = Encoding.UTF8.GetString((await account.FindItemAsync(home, home.Href.Item("a"), Cancel))!.Octets.Span);
        Assert.Equal((false, false, true), (stored.Contains("PHOTO"), stored.Contains("BBBB"), stored.Contains("UID:1\r\n")));
        var twice = Assert.IsType<ItemWrite.UidTaken>(await account.AddAsync(home.Href.Item("b"), octets, Cancel));
        Assert.Equal(home.Href.Item("a"), twice.Where);

        var token = (await account.ListAsync(Cancel)).Single().Mark.Token;
        Assert.False((await account.ReadChangesAsync(home, token, Cancel)).IsWhole);
        _server.Manners = new StandInDavManners { ForgetsTokens = true };
        Assert.True((await account.ReadChangesAsync(home, token, Cancel)).IsWhole);
        _server.Manners = new StandInDavManners { BusyFor = 60 };
        var busy = (await Assert.ThrowsAsync<FaultException>(() => account.ListAsync(Cancel))).Fault;
        Assert.Equal((Cause.ServiceBusy, true), (busy.Cause, busy.NotBefore is not null));
    }
}

public sealed class StandInContactsTests() : StandInDavTests(Kind.Contacts);

public sealed class StandInCalendarsTests() : StandInDavTests(Kind.Calendars);
