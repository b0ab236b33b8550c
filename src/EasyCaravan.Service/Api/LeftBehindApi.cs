using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Items that could not be carried, and what people decide about them.</summary>
internal static class LeftBehindApi
{
    /// <summary>Octets of a form that are shown.</summary>
    private const int MostOfForm = 64 * 1024;

    /// <summary>Characters of the reason for which an item may stay behind.</summary>
    private const int MostOfReason = 500;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/left-behind", ListAsync).WithSummary("What could not be carried, why, and what to do");
        api.MapGet("/batches/{batch}/left-behind/{item:long}/forms", FormsAsync)
            .WithSummary("A contact or event that was left behind, as both sides have it, side by side");
        api.MapPost("/batches/{batch}/left-behind", DecideAsync).WithSummary("Accepts that items stay behind, or has them tried again");
    }

    public static async Task<List<LeftBehindView>> LoadAsync(
        CaravanDb db,
        string batch,
        IReadOnlyCollection<long>? moves,
        bool includeAccepted,
        CancellationToken cancel
    ) => await ViewsAsync(db, batch, await Rows(db, batch, moves, includeAccepted).OrderBy(r => r.Item.Id).ToListAsync(cancel), cancel);

    private sealed class PlacedItem
    {
        public required LeftBehindRow Item { get; init; }
        public required string From { get; init; }
        public required string Account { get; init; }
        public required Kind Kind { get; init; }
    }

    /// <summary>What the ledger of contacts and calendars knows of an item.</summary>
    private readonly record struct ItemFacts(bool HasForms, bool IsForeign);

    private static IQueryable<PlacedItem> Rows(CaravanDb db, string batch, IReadOnlyCollection<long>? moves, bool includeAccepted)
    {
        var query =
            from item in db.LeftBehind
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            where move.Batch == batch && (includeAccepted || item.State != LeftBehindState.Accepted)
            select new
            {
                item,
                folder,
                move,
            };
        if (moves is not null)
            query = query.Where(r => moves.Contains(r.move.Id));
        return query.Select(r => new PlacedItem
        {
            Item = r.item,
            From = r.folder.From,
            Account = r.move.FromAccount,
            Kind = r.folder.Kind,
        });
    }

    private static async Task<List<LeftBehindView>> ViewsAsync(
        CaravanDb db,
        string batch,
        List<PlacedItem> placed,
        CancellationToken cancel
    )
    {
        var folders = placed.Where(p => p.Kind is not Kind.Mail).Select(p => p.Item.FolderId).Distinct().ToList();
        var facts = new Dictionary<(long, long), ItemFacts>();
        foreach (var some in folders.Chunk(500))
        {
            var forms = await db
                .ItemForms.Where(f => some.Contains(f.FolderId))
                .Select(f => new { f.FolderId, f.Number })
                .ToListAsync(cancel);
            var foreign = await db
                .CollectionItems.Where(i => some.Contains(i.FolderId) && i.IsForeign)
                .Select(i => new { i.FolderId, i.Number })
                .ToListAsync(cancel);
            foreach (var form in forms)
                facts[(form.FolderId, form.Number)] = new ItemFacts(HasForms: true, IsForeign: false);
            foreach (var own in foreign)
                facts[(own.FolderId, own.Number)] = facts.GetValueOrDefault((own.FolderId, own.Number)) with { IsForeign = true };
        }
        return placed.ConvertAll(p => ViewOf(batch, p, facts.GetValueOrDefault((p.Item.FolderId, p.Item.Number))));
    }

    private static LeftBehindView ViewOf(string batch, PlacedItem placed, ItemFacts facts)
    {
        var item = placed.Item;
        var received = DateTimeOffset.Parse(item.Received, CultureInfo.InvariantCulture);
        return new LeftBehindView(
            item.Id,
            batch,
            placed.Account,
            placed.From,
            item.Subject,
            item.Sender,
            placed.Kind is not Kind.Mail && received == DateTimeOffset.UnixEpoch ? null : received,
            item.Size,
            item.Messages,
            Problems.Of(new Fault(item.Cause, item.Whom, item.What, item.Code) { Help = item.Help }),
            ContractWord.To<LeftBehindWord>(item.State),
            item.AcceptedBy,
            item.AcceptedBecause,
            MoveViews.WordOf(placed.Kind),
            facts.HasForms,
            placed.Kind is Kind.Mail ? [] : [.. VersionChoices.Of(item.Cause, facts.IsForeign).Select(c => ContractWord.To<VersionWord>(c))]
        );
    }

    private static async Task<Results<Ok<Page<LeftBehindView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? move = null,
        bool accepted = false,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (after, wrong) = Paging.Read(cursor);
        if (wrong is not null)
            return wrong;
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        await using var db = database.Read();
        var (query, size) = (Rows(db, batch, only, accepted), Paging.SizeOf(limit));
        var total = await query.CountAsync(cancel);
        if (after is not null)
            query = query.Where(r => r.Item.Id > after);
        var rows = await query.OrderBy(r => r.Item.Id).Take(size + 1).ToListAsync(cancel);
        return TypedResults.Ok(Paging.Of(await ViewsAsync(db, batch, rows, cancel), size, v => v.Id, total));
    }

    private static async Task<Results<Ok<ItemFormsView>, ProblemHttpResult>> FormsAsync(
        string batch,
        long item,
        Database database,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var placed = await Rows(db, batch, null, includeAccepted: true).FirstOrDefaultAsync(r => r.Item.Id == item, cancel);
        var forms = placed is null
            ? null
            : await db.ItemForms.FirstOrDefaultAsync(f => f.FolderId == placed.Item.FolderId && f.Number == placed.Item.Number, cancel);
        if (placed is null || forms is null)
            return Problems.NotFound(
                $"Nothing of that number was left behind in {batch} of which the forms are kept.",
                "See what was with: caravan left-behind BATCH"
            );
        var view = (await ViewsAsync(db, batch, [placed], cancel))[0];
        var (old, fresh) = (ItemPortrait.Of(forms.Before), forms.After is { } after ? ItemPortrait.Of(after) : []);
        return TypedResults.Ok(
            new ItemFormsView(
                view,
                forms.After is not null,
                SideBySide(old, fresh),
                TextOf(forms.Before),
                forms.After is { } a ? TextOf(a) : null
            )
        );
    }

    /// <summary>Lines that say the same stand beside each other; of the others those with the same label.</summary>
    private static List<FormLine> SideBySide(IReadOnlyList<PortraitLine> old, IReadOnlyList<PortraitLine> fresh)
    {
        var rest = fresh.ToList();
        var lines = new List<FormLine>();
        foreach (var line in old)
        {
            var same = rest.IndexOf(line);
            if (same < 0)
                same = rest.FindIndex(r => r.Label == line.Label && !old.Contains(r));
            lines.Add(new FormLine(line.Label, line.Value, same < 0 ? null : rest[same].Value));
            if (same >= 0)
                rest.RemoveAt(same);
        }
        lines.AddRange(rest.Select(r => new FormLine(r.Label, null, r.Value)));
        return lines;
    }

    private static string TextOf(byte[] octets) =>
        System.Text.Encoding.UTF8.GetString(octets.AsSpan(0, Math.Min(octets.Length, MostOfForm)));

    private static async Task<Results<Ok<LeftBehindDecided>, ProblemHttpResult>> DecideAsync(
        string batch,
        LeftBehindDecision decision,
        Database database,
        Moves moves,
        CurrentPlan current,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, decision.Moves, cancel);
        if (problem is not null)
            return problem;
        if (decision.Because is { } because && (!decision.Accept || because.Length is 0 or > MostOfReason))
            return Problems.Invalid(
                "A reason is for items that are accepted as left behind.",
                $"Give because with accept, 1 to {MostOfReason} characters"
            );
        if (decision is { Accept: true, Keep: not null })
            return Problems.Invalid("An item cannot be accepted as left behind and chosen at once.", "Give accept or keep, not both");
        var who = context.User.Identity!.Name!;
        var choice = decision.Keep is { } keep ? ContractWord.To<VersionChoice>(keep) : (VersionChoice?)null;
        var (items, touched) = await moves.DecideLeftBehindAsync(
            batch,
            only,
            decision.Items,
            decision.Accept,
            decision.Because,
            choice,
            who,
            cancel
        );
        if (!decision.Accept && touched.Count > 0)
        {
            var timetable = await current.TimetableOfAsync(batch, cancel);
            await moves.StepAsync(
                batch,
                touched,
                who,
                "asked for a pass to try again what was left behind",
                (s, now) => s.RetryItems(timetable, now),
                cancel
            );
            signal.Raise();
        }
        foreach (var move in touched)
            live.Touch(move);
        return TypedResults.Ok(new LeftBehindDecided(items, touched.Count));
    }
}
