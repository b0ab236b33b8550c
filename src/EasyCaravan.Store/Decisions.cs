using System.Globalization;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>What people decided about findings, and the rules that follow from it for each move.</summary>
public sealed class Decisions(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The rules for the moves of one batch. Reads the decisions once.</summary>
    public static async Task<Func<MoveRow, CarryRules>> RulesAsync(CaravanDb db, Plan plan, string batch, CancellationToken cancel)
    {
        var route = RouteOf(plan, batch);
        return RulesFrom(route, await RowsAsync(db, route.Name, batch, cancel));
    }

    /// <summary>The rules for one move, by its own decisions and the common ones: what every pass asks for.</summary>
    public static async Task<CarryRules> RulesOfAsync(CaravanDb db, Plan plan, MoveRow move, CancellationToken cancel)
    {
        var (route, place) = (RouteOf(plan, move.Batch), PlaceOf(move.Id));
        return RulesFrom(
            route,
            await Touching(db, route.Name, move.Batch)
                .Where(c => c.Scope != DecisionScope.Move || c.Place == place)
                .OrderBy(c => c.Id)
                .ToListAsync(cancel)
        )(move);
    }

    /// <param name="rows">As <see cref="RowsAsync"/> gave them.</param>
    public static Func<MoveRow, CarryRules> RulesFrom(Route route, IReadOnlyList<DecisionRow> rows)
    {
        var common = rows.Where(r => r.Scope is not DecisionScope.Move).Select(DecisionOf).ToList();
        var own = rows.Where(r => r.Scope is DecisionScope.Move).ToLookup(r => r.Place, DecisionOf);
        return move => CarryRules.For(route, move.Name, move.FromAccount, move.ToUnder, move.ToRoot, common.Concat(own[PlaceOf(move.Id)]));
    }

    /// <summary>Every decision that touches a batch: its route's, its own, and those about its people.</summary>
    public static async Task<List<DecisionRow>> RowsAsync(CaravanDb db, string route, string batch, CancellationToken cancel)
    {
        var moves = db.Moves.Where(m => m.Batch == batch).Select(m => m.Id);
        var rows = await Touching(db, route, batch).OrderBy(c => c.Id).ToListAsync(cancel);
        var ids = rows.Exists(r => r.Scope is DecisionScope.Move) ? (await moves.ToListAsync(cancel)).Select(PlaceOf).ToHashSet() : [];
        return [.. rows.Where(r => r.Scope is not DecisionScope.Move || ids.Contains(r.Place))];
    }

    /// <summary>Those of the route and the batch, and those about anybody.</summary>
    private static IQueryable<DecisionRow> Touching(CaravanDb db, string route, string batch) =>
        db.Decisions.Where(c =>
            (c.Scope == DecisionScope.Route && c.Place == route)
            || (c.Scope == DecisionScope.Batch && c.Place == batch)
            || c.Scope == DecisionScope.Move
        );

    public static Decision DecisionOf(DecisionRow row) => new(row.Scope, row.Code, row.Way, row.Value);

    public static string PlaceOf(long move) => move.ToString(CultureInfo.InvariantCulture);

    /// <summary>
    /// Records a decision, or with null revokes it. When this changes mail rules, messages that they had excluded are examined again.
    /// </summary>
    /// <param name="moves">For the scope of a move: which.</param>
    public Task DecideAsync(
        Plan plan,
        string batch,
        DecisionScope scope,
        IReadOnlyCollection<long> moves,
        FindingCode code,
        Resolution? way,
        string? value,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            async db =>
            {
                var route = RouteOf(plan, batch);
                var batches =
                    scope is DecisionScope.Route ? plan.Batches.Where(b => b.Route == route.Name).Select(b => b.Name).ToList() : [batch];
                var touched = await db
                    .Moves.Where(m => batches.Contains(m.Batch) && (scope != DecisionScope.Move || moves.Contains(m.Id)))
                    .ToListAsync(cancel);
                var before = await MailRulesAsync(db, plan, touched, cancel);
                var places = scope switch
                {
                    DecisionScope.Route => [route.Name],
                    DecisionScope.Batch => [batch],
                    _ => moves.Select(PlaceOf).ToList(),
                };
                await db.Decisions.Where(c => c.Scope == scope && c.Code == code && places.Contains(c.Place)).ExecuteDeleteAsync(cancel);
                if (way is { } chosen)
                {
                    var now = time.GetUtcNow().ToUnixTimeMilliseconds();
                    db.Decisions.AddRange(
                        places.Select(p => new DecisionRow
                        {
                            Scope = scope,
                            Place = p,
                            Code = code,
                            Way = chosen,
                            Value = value,
                            Who = who,
                            At = now,
                        })
                    );
                }
                await db.SaveChangesAsync(cancel);
                var after = await MailRulesAsync(db, plan, touched, cancel);
                await Excluded.ReopenAsync(db, [.. touched.Where(m => before[m.Id] != after[m.Id]).Select(m => m.Id)], cancel);
                var text = way is { } w
                    ? $"decided about {KebabWord.Of(code)}: {KebabWord.Of(w)}{(value is null ? "" : $" '{value}'")}"
                    : $"took back what was decided about {KebabWord.Of(code)}";
                if (scope is DecisionScope.Move)
                    foreach (var move in touched)
                        journal.Add(db, who, batch, new MoveRowName(move.Id, move.FromAccount), text);
                else
                    journal.Add(
                        db,
                        who,
                        scope is DecisionScope.Batch ? batch : null,
                        null,
                        $"{text}, for {(scope is DecisionScope.Batch ? "the whole batch" : $"the route {route.Name}")}"
                    );
            },
            cancel
        );

    private static async Task<Dictionary<long, MailRules>> MailRulesAsync(
        CaravanDb db,
        Plan plan,
        List<MoveRow> moves,
        CancellationToken cancel
    )
    {
        var rules = new Dictionary<long, MailRules>();
        foreach (var batch in moves.GroupBy(m => m.Batch))
        {
            var of = await RulesAsync(db, plan, batch.Key, cancel);
            foreach (var move in batch)
                rules[move.Id] = of(move).Mail;
        }
        return rules;
    }

    private static Route RouteOf(Plan plan, string batch) =>
        plan.Routes.First(r => r.Name == plan.Batches.First(b => b.Name == batch).Route);
}
