using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav;

namespace EasyCaravan.Peers.Dav;

/// <summary>Three servers of unlike makes, with the same people on each. Every test takes people that no other has used.</summary>
public class DavServers : IAsyncLifetime
{
    public const string Password = "rope-and-tide";

    private const int People = 120;

    private static readonly List<string> s_people = [.. Enumerable.Range(0, People).Select(i => $"sailor{i}@saltmarsh.example")];

    private int _taken;

    public RadicaleServer Radicale { get; private set; } = null!;

    public XandikosServer Xandikos { get; private set; } = null!;

    public CyrusServer Cyrus { get; private set; } = null!;

    /// <summary>Whatever Cyrus sends.</summary>
    public MailSink Sent { get; } = new();

    public static bool AreInstalled => RadicaleServer.IsInstalled && XandikosServer.IsInstalled && CyrusServer.HasDav;

    public async ValueTask InitializeAsync()
    {
        if (!AreInstalled)
            return;
        var users = s_people.ConvertAll(p => (p, Password));
        var starts = (
            RadicaleServer.StartAsync(users),
            XandikosServer.StartAsync(users),
            CyrusServer.StartAsync(users[..1], await SmtpPortAsync())
        );
        (Radicale, Xandikos, Cyrus) = (await starts.Item1, await starts.Item2, await starts.Item3);
    }

    /// <summary>The port to which Cyrus sends.</summary>
    protected virtual Task<int> SmtpPortAsync() => Task.FromResult(Sent.Port);

    /// <summary>Somebody who has nothing anywhere yet.</summary>
    public async Task<string> NewPersonAsync()
    {
        Assert.SkipUnless(AreInstalled, "Radicale, Xandikos or Cyrus is not installed: run ./test once, which installs them.");
        var person = s_people[Interlocked.Increment(ref _taken) - 1];
        // Each costs a program of its own: only those that are needed are let in.
        await Cyrus.AddUserAsync(person, Password);
        // An account's address books and calendars come to be with its first sign-in for mail.
        using var mail = await PlainImap.SignInAsync(Cyrus.Port, person, Password);
        return person;
    }

    public Uri AddressOf(DavMake make) =>
        make switch
        {
            DavMake.Radicale => Radicale.Address,
            DavMake.Xandikos => Xandikos.Address,
            DavMake.Cyrus => new Uri($"http://127.0.0.1:{Cyrus.DavPort}/"),
            _ => throw new ArgumentOutOfRangeException(nameof(make)),
        };

    /// <summary>Where a make keeps a person's collections.</summary>
    public static string HomeOf(DavMake make, string person, bool contacts) =>
        (make, contacts) switch
        {
            (DavMake.Radicale, _) => $"/{person}/",
            (DavMake.Xandikos, true) => $"/{person}/contacts/",
            (DavMake.Xandikos, false) => $"/{person}/calendars/",
            (_, true) => $"/dav/addressbooks/user/{person}/",
            (_, false) => $"/dav/calendars/user/{person}/",
        };

    public PlainDav Witness(DavMake make, string person) => new(AddressOf(make), person, Password);

    /// <summary>Two address books and two calendars, with contacts and events of all kinds.</summary>
    public async Task FillAsync(DavMake make, string person)
    {
        using var dav = Witness(make, person);
        foreach (var contacts in new[] { true, false })
        {
            var home = HomeOf(make, person, contacts);
            foreach (var (word, title) in new[] { ("harbour", "Harbour & quay"), ("crew", "Crew") })
            {
                // Where both kinds have one home, a name can be given once.
                var name = make is DavMake.Radicale && contacts ? $"{word}-people" : word;
                await dav.MakeAsync($"{home}{name}/", title.Replace("&", "&amp;", StringComparison.Ordinal), contacts);
                foreach (var (file, text) in contacts ? Items.Contacts(name) : Items.Events(name))
                    Assert.InRange(await dav.PutAsync($"{home}{name}/{file}", text, contacts), 200, 299);
            }
        }
    }

    public static string Roster(IEnumerable<string> people) =>
        "name,from_account,to_account,from_secret,to_secret\n"
        + string.Concat(people.Select(p => $"{p.Split('@')[0]},{p},{p},{Password},{Password}\n"));

    public string PlanBetween(DavMake from, DavMake to) => PlanBetween(AddressOf(from), AddressOf(to));

    /// <param name="rules">Of the route, after a comma.</param>
    public static string PlanBetween(Uri from, Uri to, string rules = "") =>
        $$"""
            services:
              lanternpost:
                contacts: {speaks: carddav, url: "{{from}}", security: none}
                calendars: {speaks: caldav, url: "{{from}}", security: none}
              northquay:
                contacts: {speaks: carddav, url: "{{to}}", security: none}
                calendars: {speaks: caldav, url: "{{to}}", security: none}
            routes:
              crossing: {from: lanternpost, to: northquay{{rules}}}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    public Task<DavCollectionAccount> OpenAsync(DavMake make, Kind kind, string person)
    {
        var place = new CollectionConnection.Dav(AddressOf(make));
        var service = new Core.Planning.Service("northquay", null, new SignIn.Password(null), new Trust.System(), Limits.Default)
        {
            Contacts = place,
            Calendars = place,
        };
        return DavCollectionAccount.OpenAsync(
            service,
            kind,
            new Credentials(person, person, Password),
            null,
            null,
            null,
            null,
            [new MemoryStream()],
            TestContext.Current.CancellationToken
        );
    }

    public virtual async ValueTask DisposeAsync()
    {
        GC.SuppressFinalize(this);
        await Sent.DisposeAsync();
        if (!AreInstalled)
            return;
        await Radicale.DisposeAsync();
        await Xandikos.DisposeAsync();
        await Cyrus.DisposeAsync();
    }
}

/// <summary>Which server it is.</summary>
public enum DavMake
{
    Radicale,
    Xandikos,
    Cyrus,
}
