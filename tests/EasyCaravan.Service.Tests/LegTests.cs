using System.Collections.Concurrent;
using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Workers;
using EasyCaravan.StandIns;
using EasyCaravan.Store;
using EasyCaravan.Testing;
using Microsoft.Extensions.DependencyInjection;

namespace EasyCaravan.Service.Tests;

/// <summary>A move of two kinds, one of them scripted here: what that one cannot do does not stop mail.</summary>
public sealed class LegTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example",
        Bram = "bram@saltmarsh.example";

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners('.'));
    private readonly ScriptedContacts _contacts = new();
    private TestService _service = null!;

    private string Plan(string carry = "[contacts, mail]", string timetable = "") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
                contacts: {speaks: carddav, url: "https://dav.lanternpost.example/"}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
                contacts: {speaks: carddav, url: "https://dav.northquay.example/"}
            routes:
              crossing: {from: lanternpost, to: northquay, carry: {{carry}}}
            batches:
              crew: {route: crossing, roster: crew.csv{{timetable}}}
            """;

    private const string Roster =
        $"name,from_account,to_account,from_secret,to_secret\nAoife Marsh,{Aoife},{Aoife},s,s\nBram Tolland,{Bram},{Bram},s,s\n";

    public async ValueTask InitializeAsync()
    {
        _service = await TestService.StartAsync(options: o => o with { Legs = [_contacts] });
        _contacts.Store = _service.Services.GetRequiredService<MoveStore>();
        foreach (var account in new[] { Aoife, Bram })
        {
            _to.AddAccount(account, "s");
            for (var i = 0; i < 5; i++)
                Deliver(_from.AddAccount(account, "s"), i, 5);
        }
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    [Fact]
    public async Task A_person_whose_contacts_need_an_administrator_still_gets_mail()
    {
        _contacts.Refuses = account => account == Aoife;
        Assert.Equal(0, (await _service.ApplyAsync(Plan(), ("crew.csv", Roster))).Code);
        var started = await _service.RunAsync("start", "crew", "--wait");
        Assert.Equal(3, started.Code);
        Assert.Contains("contacts: the address book may not be read", started.Out, StringComparison.Ordinal);

        var aoife = (await _service.MovesAsync("crew")).Single(m => m.Account == Aoife);
        Assert.Equal((MoveStage.Copying, MoveCondition.NeedsYou), (aoife.Stage, aoife.Condition));
        Assert.Equal(
            [(MoveKind.Contacts, MoveStage.Copying, true), (MoveKind.Mail, MoveStage.InStep, false)],
            aoife.Legs.Select(l => (l.Kind, l.Stage, l.NeedsYou))
        );
        Assert.Equal(5, _to.Find(Aoife)!.Find("INBOX")!.Messages.Count);

        // A catch-up that somebody asks for carries mail; contacts still wait for a person.
        Deliver(_from.Find(Aoife)!, 100, 1);
        var tried = _contacts.Tried(Aoife);
        await _service.RunAsync("catch-up", "crew", "--move", Aoife);
        await TestService.UntilAsync(() => Task.FromResult(_to.Find(Aoife)!.Find("INBOX")!.Messages.Count == 6));
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew"))[0].Condition is MoveCondition.NeedsYou);
        Assert.Equal(tried, _contacts.Tried(Aoife));
        var today = await _service.GetAsync<Today>("today");
        Assert.Contains(today.NeedsYou, n =>
            n.What.StartsWith("contacts: ", StringComparison.Ordinal) && n.Moves.Single().Account == Aoife
        );
        Assert.Contains(
            "contacts: the address book may not be read",
            (await _service.RunAsync("waybill", "crew")).Out,
            StringComparison.Ordinal
        );

        // Once mended it goes on by itself. The sums of the kinds are separate, although both have an INBOX.
        _contacts.Refuses = _ => false;
        Assert.Equal(0, (await _service.RunAsync("retry", "crew", "--wait")).Code);
        var waybill = await _service.GetAsync<BatchWaybill>("batches/crew/waybill");
        Assert.True(waybill.Closes, waybill.Sentence);
        Assert.Equal([(MoveKind.Contacts, 6L), (MoveKind.Mail, 11L)], waybill.Kinds.Select(k => (k.Kind, k.Counts.Carried)));
        var batch = await _service.GetAsync<BatchView>("batches/crew");
        Assert.Equal([(MoveKind.Contacts, 6L), (MoveKind.Mail, 11L)], batch.Kinds.Select(k => (k.Kind, k.Counts.Carried)));
        Assert.Equal(17, batch.Counts.Carried);
        var passes = (await _service.GetAsync<MoveDetail>($"batches/crew/moves/{Aoife}")).Passes;
        Assert.Equal([MoveKind.Mail, MoveKind.Contacts], passes[^1].Legs.Select(l => l.Kind));
        Assert.Equal([MoveKind.Mail], passes[^2].Legs.Select(l => l.Kind));
        Assert.Equal([MoveKind.Contacts], passes[0].Legs.Select(l => l.Kind));
    }

    [Fact]
    public async Task By_its_rhythm_mail_catches_up_beside_contacts_that_need_somebody_or_try_again()
    {
        var clock = new TestClock(DateTimeOffset.UtcNow);
        await using var service = await clock.StartServiceAsync(o => o with { Legs = [_contacts] });
        _contacts.Store = service.Services.GetRequiredService<MoveStore>();
        _contacts.Refuses = account => account == Aoife;
        _contacts.IsLost = account => account == Bram;
        await service.ApplyAsync(Plan(timetable: ", timetable: {zone: Europe/Dublin, catch-up-every: 1h}"), ("crew.csv", Roster));
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew")).TrueForAll(m => m.Legs.Single(l => l.Kind is MoveKind.Mail).EndedAt is not null)
        );
        var moves = await service.MovesAsync("crew");
        Assert.All(moves, m =>
            Assert.InRange(m.Legs.Single(l => l.Kind is MoveKind.Mail).Due!.Value, clock.GetUtcNow(), clock.GetUtcNow().AddHours(1))
        );
        Assert.Equal((true, null), (moves[0].Legs[0].NeedsYou, moves[0].Legs[0].Due));
        await clock.PassUntilAsync(() => Task.FromResult(_contacts.Tried(Bram) >= 3));
        var bram = (await service.MovesAsync("crew")).Single(m => m.Account == Bram);
        Assert.True(bram.Legs[0].Attempts >= 2);
        // A repeated try of one kind is no pass of the other.
        var passes = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{Bram}")).Passes;
        Assert.Single(passes, p => p.Legs.Any(l => l.Kind is MoveKind.Mail));
    }

    [Fact]
    public async Task A_kind_comes_and_goes_with_the_plan()
    {
        await _service.ApplyAsync(Plan("[mail]"), ("crew.csv", Roster));
        Assert.Equal(0, (await _service.RunAsync("start", "crew", "--wait")).Code);
        await _service.ApplyAsync(Plan(), ("crew.csv", Roster));
        await TestService.UntilAsync(async () =>
            (await _service.MovesAsync("crew")).TrueForAll(m =>
                m is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle, Legs.Count: 2 }
            )
        );
        Assert.Equal(1, _contacts.Tried(Aoife));
        await _service.ApplyAsync(Plan("[mail]"), ("crew.csv", Roster));
        Assert.All(await _service.MovesAsync("crew"), m => Assert.Equal((1, 5), (m.Legs.Count, m.Counts.Carried)));
    }

    [Fact]
    public async Task What_cannot_be_carried_is_refused_with_its_place()
    {
        var calendars = await _service.ApplyAsync(Plan("[calendars, mail]"), ("crew.csv", Roster));
        Assert.Equal(2, calendars.Code);
        Assert.Contains("plan.yaml:9: 'lanternpost' has no calendars", calendars.Error, StringComparison.Ordinal);
        var open = Plan().Replace("https://dav.northquay", "http://dav.northquay", StringComparison.Ordinal);
        Assert.Contains(
            "passwords go unprotected",
            (await _service.ApplyAsync(open, ("crew.csv", Roster))).Error,
            StringComparison.Ordinal
        );
        // A service may have a kind that the route does not carry.
        var unsaid = Plan().Replace(", carry: [contacts, mail]", "", StringComparison.Ordinal);
        Assert.Equal(0, (await _service.ApplyAsync(unsaid, ("crew.csv", Roster))).Code);
    }

    private static void Deliver(StandInAccount account, int from, int many)
    {
        lock (account.Lock)
            for (var i = from; i < from + many; i++)
                account
                    .Find("INBOX")!
                    .Add(
                        System.Text.Encoding.ASCII.GetBytes($"Message-ID: <{i}@saltmarsh.example>\r\nSubject: Tide {i}\r\n\r\nx\r\n"),
                        [],
                        DateTimeOffset.UtcNow
                    );
    }

    /// <summary>Three contacts in an address book that is called INBOX, for everybody who may be read.</summary>
    private sealed class ScriptedContacts : ILegRunner
    {
        private readonly ConcurrentDictionary<string, int> _tried = new();

        public Kind Kind => Kind.Contacts;

        public MoveStore Store { get; set; } = null!;

        public Func<string, bool> Refuses { get; set; } = _ => false;

        public Func<string, bool> IsLost { get; set; } = _ => false;

        public int Tried(string account) => _tried.GetValueOrDefault(account);

        public async Task RunAsync(LegOrder order, CancellationToken cancel)
        {
            var account = order.Claim.Person.FromAccount;
            _tried.AddOrUpdate(account, 1, (_, n) => n + 1);
            if (Refuses(account))
                throw new FaultException(new Fault(Cause.NotPermitted, account, "the address book may not be read"), Verdict.Keep);
            if (IsLost(account))
                throw new FaultException(new Fault(Cause.ConnectionLost, account, "the connection was lost"), Verdict.Close);
            var ledger = Store.LedgerOf(order.Claim, Kind);
            var page = (await ledger.OpenAsync([new PageOpening(FolderPath.Inbox, FolderPath.Inbox, 1, 1, 1) { Found = 3 }], cancel))[0];
            if ((await ledger.SettledAsync(page.Id, cancel)).Count == 0)
            {
                await ledger.RecordAsync(
                    page.Id,
                    [
                        .. Enumerable
                            .Range(1, 3)
                            .Select(i => new LedgerEntry((uint)i, (uint)i, Outcome.Carried, FlagSet.Empty) { Size = new(10) }),
                    ],
                    cancel
                );
                order.Tally.Carry(3, new(30));
            }
            await ledger.CompleteAsync([new PageEnd(page.Id, new FolderCursor(1, 4, 1, 3), 3, null)], cancel);
        }
    }
}
