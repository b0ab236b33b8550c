using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Surveying;

/// <summary>One person of a batch, with the digest of their survey; null when nobody looked yet.</summary>
internal sealed record SurveyedMove(MoveRow Move, SurveyRow? Survey, SurveyDigest? Digest);

/// <summary>All that the surveys of a batch say under the rules that hold now.</summary>
internal sealed record SurveyedBatch(
    Plan Plan,
    Batch Batch,
    Core.Planning.Route Route,
    Core.Planning.Service From,
    Core.Planning.Service To,
    IReadOnlyList<DecisionRow> Decisions,
    IReadOnlyList<SurveyedMove> Moves
)
{
    public IEnumerable<SurveyedMove> Whole => Moves.Where(m => m.Digest is { Whole: true });
}

/// <summary>
/// Reads surveys by batch. What a survey means depends on the plan and on what people decided, so it is worked out when somebody asks, once
/// for each survey and set of rules, and only the digest is kept.
/// </summary>
internal sealed class SurveyCache(Database database, CurrentPlan current, CaravanOptions options)
{
    /// <summary>Moves that this installation runs side by side.</summary>
    public int MovesAtOnce => options.MovesAtOnce;

    /// <summary>Inventories that are in memory at a time.</summary>
    private const int Chunk = 200;

    /// <summary>A page sends six requests about the same batch at once; they share one read.</summary>
    private static readonly TimeSpan s_share = TimeSpan.FromMilliseconds(250);

    private readonly ConcurrentDictionary<long, (Stamp Stamp, SurveyDigest Digest)> _digests = new();
    private readonly ConcurrentDictionary<string, (long At, long Plan, long? Newest, Task<SurveyedBatch> Batch)> _shared = new();

    /// <summary>Changes whenever the digest could.</summary>
    private sealed record Stamp(long TakenAt, long Plan, string Decisions, string Person);

    /// <returns>Null when there is no plan, or no such batch in it.</returns>
    public async Task<SurveyedBatch?> LoadAsync(string name, CancellationToken cancel)
    {
        var (plan, planRow) = await current.GetAsync(cancel);
        if (plan?.Batches.FirstOrDefault(b => b.Name == name) is not { } batch)
            return null;
        var newest = await NewestAsync(name, cancel);
        var now = Environment.TickCount64;
        var shared = _shared.AddOrUpdate(
            name,
            _ => (now, planRow!.Id, newest, ReadAsync(name, plan, planRow, batch)),
            (_, old) =>
                now - old.At < s_share.TotalMilliseconds && (old.Plan, old.Newest) == (planRow!.Id, newest) && !old.Batch.IsFaulted
                    ? old
                    : (now, planRow!.Id, newest, ReadAsync(name, plan, planRow, batch))
        );
        return await shared.Batch.WaitAsync(cancel);
    }

    /// <summary>
    /// When the last account of the batch was surveyed: a person who waited for that should see it, not an older result.
    /// </summary>
    private async Task<long?> NewestAsync(string batch, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Surveys.Where(s => db.Moves.Any(m => m.Id == s.MoveId && m.Batch == batch)).MaxAsync(s => (long?)s.TakenAt, cancel);
    }

    /// <summary>A decision was made, so the shared result is out of date.</summary>
    public void Forget() => _shared.Clear();

    private async Task<SurveyedBatch> ReadAsync(string name, Plan plan, PlanRow planRow, Batch batch)
    {
        var cancel = CancellationToken.None;
        var route = plan.Routes.First(r => r.Name == batch.Route);
        var (from, to) = (plan.Services.First(s => s.Name == route.From), plan.Services.First(s => s.Name == route.To));
        await using var db = database.Read();
        var decisions = await Decisions.RowsAsync(db, route.Name, name, cancel);
        var rulesOf = Decisions.RulesFrom(route, decisions);
        var moves = await db.Moves.Where(m => m.Batch == name).OrderBy(m => m.Id).ToListAsync(cancel);
        // Everything but the inventories, which may be large.
        var surveys = await db
            .Surveys.Where(s => db.Moves.Any(m => m.Id == s.MoveId && m.Batch == name))
            .Select(s => new SurveyRow
            {
                MoveId = s.MoveId,
                TakenAt = s.TakenAt,
                Messages = s.Messages,
                Octets = s.Octets,
                Folders = s.Folders,
                ToMessages = s.ToMessages,
                Whole = s.Whole,
                InventoryJson = "",
            })
            .ToDictionaryAsync(s => s.MoveId, cancel);
        var common = string.Join(';', decisions.Where(c => c.Scope is not DecisionScope.Move).Select(c => c.Id));
        var own = decisions.Where(c => c.Scope is DecisionScope.Move).ToLookup(c => c.Place);
        Stamp StampOf(MoveRow move, SurveyRow survey) =>
            new(
                survey.TakenAt,
                planRow.Id,
                $"{common}|{string.Join(';', own[Decisions.PlaceOf(move.Id)].Select(c => c.Id))}",
                $"{move.Name}|{move.ToUnder}|{move.ToRoot}"
            );
        var stale = moves
            .Where(m =>
                surveys.TryGetValue(m.Id, out var s) && !(_digests.TryGetValue(m.Id, out var known) && known.Stamp == StampOf(m, s))
            )
            .ToList();
        foreach (var some in stale.Chunk(Chunk))
        {
            var ids = some.Select(m => m.Id).ToList();
            var rows = await db.Surveys.Where(s => ids.Contains(s.MoveId)).ToDictionaryAsync(s => s.MoveId, cancel);
            foreach (var move in some)
            {
                if (!rows.TryGetValue(move.Id, out var row))
                    continue;
                var digest = SurveyDigest.Make(Surveys.InventoryOf(row), rulesOf(move), from, to, DecisionsOf(decisions, move.Id));
                _digests[move.Id] = (StampOf(move, row), digest);
            }
        }
        var alike = await LookAlikesAsync(db, plan, cancel);
        return new SurveyedBatch(
            plan,
            batch,
            route,
            from,
            to,
            decisions,
            [
                .. moves.Select(m => new SurveyedMove(
                    m,
                    surveys.GetValueOrDefault(m.Id),
                    surveys.ContainsKey(m.Id) && _digests.TryGetValue(m.Id, out var known)
                        ? WithLookAlikes(known.Digest, m, alike, decisions)
                        : null
                )),
            ]
        );
    }

    /// <summary>One person's inventory, whole.</summary>
    public async Task<Inventory?> InventoryAsync(long move, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Surveys.FirstOrDefaultAsync(s => s.MoveId == move, cancel) is { } row ? Surveys.InventoryOf(row) : null;
    }

    /// <summary>Many inventories, whole, so many in memory at a time.</summary>
    public async IAsyncEnumerable<(SurveyedMove Move, Inventory Inventory)> InventoriesAsync(
        IEnumerable<SurveyedMove> moves,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        await using var db = database.Read();
        foreach (var some in moves.Chunk(Chunk))
        {
            var ids = some.Select(m => m.Move.Id).ToList();
            var rows = await db.Surveys.Where(s => ids.Contains(s.MoveId)).ToDictionaryAsync(s => s.MoveId, cancel);
            foreach (var move in some)
                if (rows.TryGetValue(move.Move.Id, out var row))
                    yield return (move, Surveys.InventoryOf(row));
        }
    }

    /// <summary>The rules that hold for one person now.</summary>
    public async Task<Func<MoveRow, CarryRules>> RulesAsync(Plan plan, string batch, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await Decisions.RulesAsync(db, plan, batch, cancel);
    }

    /// <summary>Decisions that may concern this move.</summary>
    public static IEnumerable<Decision> DecisionsOf(IReadOnlyList<DecisionRow> decisions, long move) =>
        decisions.Where(c => c.Scope is not DecisionScope.Move || c.Place == Decisions.PlaceOf(move)).Select(Decisions.DecisionOf);

    /// <summary>Over all batches of the plan: a person is in the roster twice more often in two of them than in one.</summary>
    private static async Task<IReadOnlyDictionary<long, IReadOnlyList<string>>> LookAlikesAsync(
        CaravanDb db,
        Plan plan,
        CancellationToken cancel
    )
    {
        var names = plan.Batches.Select(b => b.Name).ToList();
        var people = await db
            .Moves.Where(m => names.Contains(m.Batch) && m.Stage != Core.Carrying.Stage.Withdrawn)
            .Select(m => new
            {
                m.Id,
                m.Name,
                m.FromAccount,
            })
            .ToListAsync(cancel);
        return LookAlikes.Find(people.Select(p => (p.Id, p.Name, p.FromAccount)));
    }

    private static SurveyDigest WithLookAlikes(
        SurveyDigest digest,
        MoveRow move,
        IReadOnlyDictionary<long, IReadOnlyList<string>> alike,
        IReadOnlyList<DecisionRow> decisions
    )
    {
        if (!alike.TryGetValue(move.Id, out var others))
            return digest;
        var decision = Decision.InForce(DecisionsOf(decisions, move.Id)).FirstOrDefault(c => c.Code is FindingCode.SamePerson);
        return digest with
        {
            Findings = digest.Findings.Add(
                new DigestedFinding(new Finding(FindingCode.SamePerson, $"looks like {string.Join(", ", others.Take(3))}"), decision)
            ),
        };
    }
}
