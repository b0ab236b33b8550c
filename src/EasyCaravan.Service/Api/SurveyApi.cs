using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>
/// What is there before anything moves: inventories, findings with their ways out, what tidying would save, how long it takes.
/// </summary>
internal static class SurveyApi
{
    private const int MostRows = 100;
    private const int MostHeavy = 10;

    private static readonly (string Name, long? UpTo)[] s_classes =
    [
        ("empty", 0),
        ("up to 100 MB", 100_000_000),
        ("up to 1 GB", 1_000_000_000),
        ("up to 5 GB", 5_000_000_000),
        ("up to 20 GB", 20_000_000_000),
        ("over 20 GB", null),
    ];

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/survey", SumsAsync).WithSummary("What the accounts of a batch hold, in sums");
        api.MapGet("/batches/{batch}/inventory", InventoryAsync).WithSummary("What each account of a batch holds");
        api.MapGet("/batches/{batch}/inventory/{account}", AccountAsync).WithSummary("What one person's accounts hold, folder by folder");
        api.MapGet("/batches/{batch}/findings", FindingsAsync).WithSummary("What was found, by kind, with what can be chosen about it");
        api.MapGet("/batches/{batch}/findings/rows", RowsAsync).WithSummary("What was found, person by person");
        api.MapPost("/batches/{batch}/decisions", DecideAsync)
            .WithSummary("Chooses a way out of a finding for persons, the batch or the route; asking again changes nothing");
        api.MapGet("/batches/{batch}/tidying", TidyingAsync).WithSummary("What leaving out trash, junk, old or large mail would save");
        api.MapGet("/batches/{batch}/estimate", EstimateAsync)
            .WithSummary("How long the first passes take when run without pause, and what holds them back");
    }

    private static async Task<Results<Ok<BatchSurvey>, ProblemHttpResult>> SumsAsync(
        string batch,
        SurveyCache cache,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var known = surveyed.Moves.Where(m => m.Digest is not null).ToList();
        var whole = surveyed.Whole.ToList();
        var classes = s_classes
            .Select(
                (c, i) =>
                {
                    var own = whole
                        .Where(m =>
                            (c.UpTo is not { } upTo || m.Survey!.Octets <= upTo) && (i == 0 || m.Survey!.Octets > s_classes[i - 1].UpTo)
                        )
                        .ToList();
                    return new SizeClass(c.Name, c.UpTo, own.Count, own.Sum(m => m.Survey!.Octets));
                }
            )
            .ToList();
        var (carryMessages, carryOctets) = (whole.Sum(m => m.Digest!.CarryMessages), whole.Sum(m => m.Digest!.CarryOctets));
        return TypedResults.Ok(
            new BatchSurvey(
                batch,
                surveyed.Moves.Count,
                whole.Count,
                known.Count - whole.Count,
                known.Count == 0 ? null : known.Min(m => m.Digest!.TakenAt),
                known.Sum(m => m.Survey!.Messages),
                known.Sum(m => m.Survey!.Octets),
                carryMessages,
                carryOctets,
                known.Sum(m => m.Survey!.ToMessages),
                classes,
                [.. known.OrderByDescending(m => m.Survey!.Octets).Take(MostHeavy).Select(AccountOf)],
                [
                    .. surveyed.Route.Carry.Select(kind =>
                        kind is Kind.Mail
                            ? new KindTotal(
                                MoveKind.Mail,
                                known.Sum(m => m.Survey!.Messages),
                                known.Sum(m => m.Survey!.Octets),
                                known.Sum(m => m.Survey!.Folders),
                                carryMessages,
                                carryOctets
                            )
                            : TotalOf(kind, known.SelectMany(m => m.Digest!.Kinds))
                    ),
                ]
            )
        );
    }

    private static async Task<Results<Ok<Page<AccountInventory>>, ProblemHttpResult>> InventoryAsync(
        string batch,
        SurveyCache cache,
        CancellationToken cancel,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual,
        string? search = null,
        [WordOf<InventoryOrder>] string? sort = null,
        bool descending = false
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        if (MoveFilters.ReadOrder(sort, out InventoryOrder order) is { } noOrder)
            return noOrder;
        var (after, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        var accounts = surveyed.Moves.Select(AccountOf).Where(a => Paging.Fits(search, a.Name, a.Account, a.ToAccount));
        return TypedResults.Ok(Paging.Window([.. InOrder(accounts, order, descending)], after ?? Math.Max(0, skip), Paging.SizeOf(limit)));
    }

    /// <summary>What is not known comes last in either direction.</summary>
    private static IEnumerable<AccountInventory> InOrder(IEnumerable<AccountInventory> accounts, InventoryOrder order, bool descending)
    {
        IEnumerable<AccountInventory> By<T>(Func<AccountInventory, T> key, IComparer<T>? comparer = null)
        {
            var known = accounts.OrderBy(a => key(a) is null);
            return descending ? known.ThenByDescending(key, comparer) : known.ThenBy(key, comparer);
        }
        return order switch
        {
            InventoryOrder.Roster => descending ? accounts.Reverse() : accounts,
            InventoryOrder.Name => By(a => a.Name, StringComparer.InvariantCultureIgnoreCase),
            InventoryOrder.Account => By(a => a.Account, StringComparer.OrdinalIgnoreCase),
            InventoryOrder.Folders => By(a => a.Folders),
            InventoryOrder.Messages => By(a => a.Messages),
            InventoryOrder.Octets => By(a => a.Octets),
            InventoryOrder.CarryMessages => By(a => a.CarryMessages),
            InventoryOrder.CarryOctets => By(a => a.CarryOctets),
            InventoryOrder.OldestMessage => By(a => a.OldestMessage),
            InventoryOrder.NewestMessage => By(a => a.NewestMessage),
            InventoryOrder.LargestMessage => By(a => a.LargestMessage),
            InventoryOrder.ToMessages => By(a => a.ToMessages),
            InventoryOrder.FreeOctets => By(a => a.FreeOctets),
            InventoryOrder.Contacts => By(a => ItemsOf(a, MoveKind.Contacts)),
            InventoryOrder.Calendars => By(a => ItemsOf(a, MoveKind.Calendars)),
            InventoryOrder.Findings => By(a => a.Findings),
            InventoryOrder.TakenAt => By(a => a.TakenAt),
        };
    }

    private static long? ItemsOf(AccountInventory account, MoveKind kind) => account.Kinds.FirstOrDefault(k => k.Kind == kind)?.Items;

    private static async Task<Results<Ok<MoveInventory>, ProblemHttpResult>> AccountAsync(
        string batch,
        string account,
        SurveyCache cache,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        if (surveyed.Moves.FirstOrDefault(m => m.Move.FromAccount == account) is not { } move)
            return Problems.NotFound($"Nobody in batch '{batch}' moves from '{account}'.", "See the batch's moves for its accounts");
        if (await cache.InventoryAsync(move.Move.Id, cancel) is not { } inventory)
            return Problems.NotFound($"Nobody has looked at {account} yet.", $"Look with: caravan survey {batch} --move {account}");
        return TypedResults.Ok(
            new MoveInventory(
                AccountOf(move),
                [
                    .. inventory
                        .From?.Folders.Where(f => f.Selectable)
                        .Select(f => new FolderInventoryView(f.Path, UseWord(f.Use), f.Messages, f.Octets.Count, f.Oldest, f.Newest))
                        ?? [],
                ],
                [
                    .. inventory.From?.Largest.Select(l => new LargeMessageView(l.Folder, l.Octets.Count, l.Received, l.Subject, l.Sender))
                        ?? [],
                ],
                RoomOf(inventory.From?.Room),
                RoomOf(inventory.To?.Room),
                inventory.From?.Forwards,
                [
                    .. (inventory.From?.Folders ?? [])
                        .SelectMany(f => f.Keywords)
                        .Distinct(StringComparer.OrdinalIgnoreCase)
                        .Order(StringComparer.OrdinalIgnoreCase),
                ],
                [.. inventory.Kinds.SelectMany(k => k.From.Select(c => ViewOf(k.Kind, c)))],
                [.. RowsOf(move)]
            )
        );
    }

    private static CollectionInventoryView ViewOf(Kind kind, CollectionInventory collection) =>
        new(
            MoveViews.WordOf(kind),
            collection.Title,
            KebabWord.Of(collection.Standing),
            collection.Items,
            collection.Octets.Count,
            collection.Oldest,
            collection.Newest,
            collection.Largest.Count,
            collection.Recurring,
            collection.WithPeople,
            collection.WithoutUid,
            collection.Unreadable,
            collection.Versions
        );

    private static async Task<Results<Ok<List<FindingGroup>>, ProblemHttpResult>> FindingsAsync(
        string batch,
        SurveyCache cache,
        Database database,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var groups = surveyed
            .Moves.SelectMany(m => m.Digest?.Findings.Select(f => (Move: m, Found: f)) ?? [])
            .GroupBy(f => f.Found.Finding.Code)
            .OrderBy(g => FindingRules.Of(g.Key).Weight)
            .ThenBy(g => g.Key);
        return TypedResults.Ok(
            groups
                .Select(group =>
                {
                    var rule = FindingRules.Of(group.Key);
                    return new FindingGroup(
                        KebabWord.Of(group.Key),
                        ContractWord.To<FindingWeight>(rule.Weight),
                        rule.Title,
                        rule.Otherwise,
                        group.Select(f => f.Move.Move.Id).Distinct().Count(),
                        group.Where(f => f.Found.Decision is null).Select(f => f.Move.Move.Id).Distinct().Count(),
                        group.Sum(f => f.Found.Finding.Messages),
                        group.Sum(f => f.Found.Finding.Octets).Count,
                        WaysOf(group.Key),
                        DecisionsOf(surveyed, group.Key),
                        [.. group.Take(MostRows).Select(f => RowOf(f.Move.Move, f.Found))]
                    );
                })
                .Concat(await PassFindings.LoadAsync(database, surveyed, MostRows, cancel))
                .ToList()
        );
    }

    private static async Task<Results<Ok<Page<FindingRow>>, ProblemHttpResult>> RowsAsync(
        string batch,
        SurveyCache cache,
        Database database,
        CancellationToken cancel,
        string? code = null,
        string? move = null,
        string? search = null,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual
    )
    {
        var (after, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        var ofPasses = await PassFindings.LoadAsync(database, surveyed, int.MaxValue, cancel, only);
        var rows = surveyed
            .Moves.Where(m => only is null || only.Contains(m.Move.Id))
            .SelectMany(RowsOf)
            .Concat(ofPasses.SelectMany(f => f.Rows))
            .Where(r => (code is null || r.Code == code) && Paging.Fits(search, r.Name, r.Account, r.What));
        return TypedResults.Ok(Paging.Window([.. rows], after ?? Math.Max(0, skip), Paging.SizeOf(limit)));
    }

    private static async Task<Results<Ok<DecisionResult>, ProblemHttpResult>> DecideAsync(
        string batch,
        DecisionRequest request,
        Decisions decisions,
        Moves moves,
        SurveyCache cache,
        CurrentPlan current,
        Database database,
        LiveHub live,
        WorkSignal signal,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } known)
            return BatchApi.NoBatch(batch);
        if (KebabWord.Read<FindingCode>(request.Code) is not { } code)
            return Problems.Invalid($"There is no finding '{request.Code}'.", "See 'caravan findings' for those of the batch");
        var scope = ContractWord.To<DecisionScope>(request.Scope);
        Resolution? way = null;
        if (request.Way is { } named)
        {
            way = KebabWord.Read<Resolution>(named);
            if (way is null)
                return Problems.Invalid(
                    $"There is no way out '{named}'.",
                    $"For {request.Code}: {string.Join(", ", FindingRules.Of(code).Ways.Select(w => KebabWord.Of(w.Way)))}"
                );
            if (FindingRules.Check(code, way.Value, request.Value) is { } wrong)
                return Problems.Invalid($"This cannot be chosen: {wrong.What}.", $"It takes {wrong.Allowed}");
        }
        if (scope is DecisionScope.Move && request.Moves is not { Count: > 0 })
            return Problems.Invalid("Nobody is named.", "Name from accounts, to accounts or names in 'moves'");
        var (only, problem) = await Selection.ResolveAsync(database, batch, scope is DecisionScope.Move ? request.Moves : null, cancel);
        if (problem is not null)
            return problem;
        var who = context.User.Identity!.Name!;
        var batches = scope is DecisionScope.Route ? plan.Batches.Where(b => b.Route == known.Route).Select(b => b.Name).ToList() : [batch];
        await decisions.DecideAsync(plan, batch, scope, only ?? [], code, way, request.Value, who, cancel);
        if (way is Resolution.Withdraw)
        {
            // A person is not left out because of a finding that they do not have.
            foreach (var one in batches)
                await moves.StepAsync(
                    one,
                    only ?? await TouchedAsync(cache, one, code, cancel),
                    who,
                    "withdrew",
                    (s, _) => s.Withdraw(),
                    cancel
                );
        }
        // What reading back has shown is decided message by message: here for all of them at once.
        if (code is FindingCode.AltersMessages && way is Resolution.Accept)
            foreach (var one in batches)
                await moves.DecideDifferencesAsync(one, only, null, DifferenceKind.Altered, DifferenceDecision.Accept, who, cancel);
        cache.Forget();
        signal.Raise();
        live.TouchPlan();
        await using var db = database.Read();
        return TypedResults.Ok(new DecisionResult(only?.Count ?? await db.Moves.CountAsync(m => batches.Contains(m.Batch), cancel)));
    }

    private static async Task<IReadOnlyCollection<long>> TouchedAsync(
        SurveyCache cache,
        string batch,
        FindingCode code,
        CancellationToken cancel
    )
    {
        var surveyed = await cache.LoadAsync(batch, cancel);
        return [.. surveyed!.Moves.Where(m => m.Digest?.Findings.Any(f => f.Finding.Code == code) == true).Select(m => m.Move.Id)];
    }

    private static async Task<Results<Ok<List<SavingView>>, ProblemHttpResult>> TidyingAsync(
        string batch,
        SurveyCache cache,
        Database database,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var rates = await EstimateViews.RatesAsync(database, surveyed.Plan, surveyed.Route, Kind.Mail, cancel);
        var sums = surveyed
            .Moves.SelectMany(m => m.Digest?.Savings ?? [])
            .GroupBy(s => (s.Code, s.Way, s.Value))
            .OrderBy(g => g.Key.Code)
            .ThenByDescending(g => g.Sum(s => s.Octets));
        return TypedResults.Ok(
            sums.Select(g =>
                {
                    var (messages, octets) = (g.Sum(s => s.Messages), g.Sum(s => s.Octets));
                    var rule = FindingRules.Of(g.Key.Code);
                    var (shortest, longest) = rates.For(messages, octets, 0);
                    var atOnce = EstimateViews.AtOnce(surveyed, cache.MovesAtOnce);
                    return new SavingView(
                        KebabWord.Of(g.Key.Code),
                        rule.Title,
                        KebabWord.Of(g.Key.Way),
                        rule.Ways.First(w => w.Way == g.Key.Way).Text,
                        g.Key.Value,
                        messages,
                        octets.Count,
                        g.Count(),
                        shortest / atOnce,
                        longest / atOnce
                    );
                })
                .ToList()
        );
    }

    private static async Task<Results<Ok<EstimateView>, ProblemHttpResult>> EstimateAsync(
        string batch,
        SurveyCache cache,
        Database database,
        CancellationToken cancel,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var (after, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        var estimate = EstimateViews.MakeAsync(
            database,
            surveyed,
            cache.MovesAtOnce,
            after ?? Math.Max(0, skip),
            Paging.SizeOf(limit),
            cancel
        );
        return TypedResults.Ok(await estimate);
    }

    private static KindTotal TotalOf(Kind kind, IEnumerable<DigestedKind> all)
    {
        var own = all.Where(k => k.Found.Kind == kind).ToList();
        return new KindTotal(
            MoveViews.WordOf(kind),
            own.Sum(k => k.Found.Items),
            own.Sum(k => k.Found.Octets).Count,
            own.Sum(k => k.Found.Collections),
            own.Sum(k => k.Carry.Items),
            own.Sum(k => k.Carry.Octets).Count
        );
    }

    private static AccountInventory AccountOf(SurveyedMove surveyed)
    {
        var (move, survey, digest) = surveyed;
        return new AccountInventory(
            move.FromAccount,
            move.ToAccount,
            move.Name,
            digest?.TakenAt,
            survey?.Folders ?? 0,
            survey?.Messages ?? 0,
            survey?.Octets ?? 0,
            digest?.CarryMessages ?? 0,
            digest?.CarryOctets ?? 0,
            digest?.Oldest,
            digest?.Newest,
            digest?.Largest ?? 0,
            survey?.ToMessages ?? 0,
            digest?.FreeOctets,
            digest?.Findings.Count(f => f.Decision is null && f.Finding.Weight is not Weight.Note) ?? 0,
            [.. (digest?.Kinds ?? []).Select(k => TotalOf(k.Found.Kind, [k]))],
            digest?.Fault is { } fault ? Problems.Of(fault) : null
        );
    }

    private static IEnumerable<FindingRow> RowsOf(SurveyedMove move) =>
        move.Digest?.Findings.OrderBy(f => f.Finding.Weight).Select(f => RowOf(move.Move, f)) ?? [];

    private static FindingRow RowOf(MoveRow move, DigestedFinding found) =>
        new(
            KebabWord.Of(found.Finding.Code),
            ContractWord.To<FindingWeight>(found.Finding.Weight),
            move.FromAccount,
            move.Name,
            found.Finding.What,
            found.Finding.Messages,
            found.Finding.Octets.Count,
            found.Finding.Remedy,
            found.Decision is { } d ? $"{KebabWord.Of(d.Way)}{(d.Value is null ? "" : $" {d.Value}")}" : null
        );

    public static List<WayView> WaysOf(FindingCode code) =>
        [.. FindingRules.Of(code).Ways.Select(w => new WayView(KebabWord.Of(w.Way), w.Text, w.Value, w.Default))];

    public static List<DecisionView> DecisionsOf(SurveyedBatch surveyed, FindingCode code)
    {
        var decided = surveyed.Decisions.Where(c => c.Code == code).ToList();
        if (decided.Count == 0)
            return [];
        var accounts = surveyed.Moves.ToDictionary(m => Decisions.PlaceOf(m.Move.Id), m => m.Move.FromAccount);
        return [.. DecisionsOf(decided, accounts)];
    }

    public static IEnumerable<DecisionView> DecisionsOf(IEnumerable<DecisionRow> rows, IReadOnlyDictionary<string, string> accounts) =>
        rows.Select(c => new DecisionView(
            ContractWord.To<DecisionReach>(c.Scope),
            c.Scope is DecisionScope.Move ? accounts.GetValueOrDefault(c.Place, c.Place) : c.Place,
            KebabWord.Of(c.Code),
            KebabWord.Of(c.Way),
            c.Value,
            c.Who,
            DateTimeOffset.FromUnixTimeMilliseconds(c.At)
        ));

    public static FolderUse? UseWord(SpecialUse use) => use is SpecialUse.None ? null : ContractWord.To<FolderUse>(use);

    private static RoomView? RoomOf(Room? room) =>
        room is null ? null : new RoomView(room.Octets?.Count, room.UsedOctets.Count, room.Messages, room.UsedMessages);
}
