using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;
using EasyCaravan.Core.Surveying;
using NodaTime;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>Two services of address books and calendars in memory, and the passes between them.</summary>
public abstract class CollectionRoad : ICollectionAccounts
{
    private static readonly Service s_service = new("from", null, new SignIn.Password(null), new Trust.System(), Limits.Default);

    private protected MemoryCollections _from = new("/old/");
    private protected MemoryCollections _to = new("/new/");
    private protected MemoryLedger _ledger = new();
    private protected MemoryCollectionLedger _kept = new();
    private readonly List<string> _journal = [];
    private protected CollectionRules _rules = CollectionRules.Default;
    private protected Deletions _deletions = Deletions.Keep;
    private protected Kind _kind = Kind.Contacts;

    public Task<ICollectionAccount> OpenAsync(Service service, Kind kind, Credentials credentials, CancellationToken cancel) =>
        Task.FromResult<ICollectionAccount>(new MemoryCollectionAccount(service.Name == "to" ? _to : _from, kind));

    private protected Tally Run()
    {
        var tally = new Tally(_kind);
        new CollectionLeg(this, _ledger, _kept, Order, tally, _journal.Add).RunAsync(CancellationToken.None).GetAwaiter().GetResult();
        return tally;
    }

    /// <summary>Passes that break at any call of the to side.</summary>
    private protected void RunBroken(Random chance, int passes)
    {
        for (var i = 0; i < passes; i++)
        {
            _to.BreaksAt = chance.Next(40);
            try
            {
                Run();
            }
            catch (FaultException)
            {
                // The next pass goes on from there.
            }
            _to.BreaksAt = null;
        }
    }

    /// <summary>Reads both sides anew.</summary>
    private protected ComparisonProgress Compare()
    {
        _ledger.Comparison = new ComparisonProgress(1, 0, 0);
        var own = new CollectionComparison(this, _ledger, _kept, Order, new Tally(_kind), _journal.Add);
        new Comparison(_ledger, [new ComparedKind(_kind, own.CompareAsync)], _journal.Add)
            .RunAsync(CancellationToken.None)
            .GetAwaiter()
            .GetResult();
        return _ledger.Comparison!;
    }

    private CollectionLegOrder Order =>
        new(
            _kind,
            new Side(s_service, new Credentials("a@saltmarsh.example", "a", "s")),
            new Side(s_service with { Name = "to" }, new Credentials("a@saltmarsh.example", "a", "s")),
            _rules,
            _deletions,
            Lanes: 2
        )
        {
            Today = new LocalDate(2026, 11, 28),
        };

    private protected KindInventory Survey()
    {
        var credentials = new Credentials("a@saltmarsh.example", "a", "s");
        var rules = new CarryRules([], new MailRules(null, null), Doubles.Pair) { Contacts = _rules };
        return new CollectionSurvey(this, _kind, rules, new Tally(_kind))
            .TakeAsync(
                new SurveySide(s_service, credentials, null),
                new SurveySide(s_service with { Name = "to" }, credentials, null),
                CancellationToken.None
            )
            .GetAwaiter()
            .GetResult();
    }

    private protected void CarryAgain(Difference missing) =>
        _ledger.ReopenAsync(missing.Folder, new NumberSet([missing.Number]), CancellationToken.None).GetAwaiter().GetResult();

    private protected void CarryAgain((long Folder, uint Number) item) =>
        _ledger.ReopenAsync(item.Folder, new NumberSet([item.Number]), CancellationToken.None).GetAwaiter().GetResult();

    private protected FolderCounts Total =>
        _ledger.FoldersAsync(CancellationToken.None).GetAwaiter().GetResult().Aggregate(FolderCounts.Zero, (sum, p) => sum + p.Counts);

    /// <summary>As if nothing had ever been carried.</summary>
    private protected void Reset()
    {
        _to.All.Clear();
        _to.Calls.Clear();
        (_ledger, _kept) = (new MemoryLedger(), new MemoryCollectionLedger());
    }

    private protected static string Card(int i, string more = "") =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:u{i}\r\nFN:Sailor {i}\r\nN:Sailor {i};;;;\r\n"
        + $"{(more.Length > 0 ? $"{more}\r\n" : "")}END:VCARD\r\n";

    private protected static string Person(string uid, string name, params string[] lines) =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:{uid}\r\nFN:{name}\r\nN:{string.Join(';', name.Split(' ').Reverse())};;;\r\n"
        + $"{string.Concat(lines.Select(l => $"{l}\r\n"))}END:VCARD\r\n";

    private protected static string Event(string uid, string organiser, string day) =>
        $"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:{uid}\r\nDTSTART:{day}T100000Z\r\nDTEND:{day}T110000Z\r\n"
        + $"SUMMARY:{uid}\r\nORGANIZER:mailto:{organiser}\r\nATTENDEE;RSVP=TRUE:mailto:guest@lanternpost.example\r\n"
        + "END:VEVENT\r\nEND:VCALENDAR\r\n";
}
