using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>With whom people exchange mail, and the note that tells them of the new address.</summary>
internal static class CorrespondenceApi
{
    private const int UsualDays = 365;

    private const int MostDays = 3650;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/aftercare/correspondents", ListAsync)
            .WithSummary("With whom people who have crossed exchange mail, those who exchange most first, page by page");
        api.MapPost("/batches/{batch}/aftercare/correspondents", AskAsync)
            .WithSummary("Counts with whom people exchange mail, or writes to them that the address has changed");
    }

    private static async Task<Results<Ok<Page<CorrespondentView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? cursor = null,
        int limit = Paging.Usual,
        string? move = null
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        var (skip, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        await using var db = database.Read();
        var query =
            from row in db.Correspondents
            join person in Moves.Chosen(db, batch, only) on row.MoveId equals person.Id
            select new
            {
                row,
                person.Id,
                person.FromAccount,
                person.Name,
            };
        var (total, size) = (await query.CountAsync(cancel), Paging.SizeOf(limit));
        var rows = await query
            .OrderBy(r => r.Id)
            .ThenByDescending(r => r.row.Received < r.row.Sent ? r.row.Received : r.row.Sent)
            .ThenByDescending(r => r.row.Received + r.row.Sent)
            .ThenBy(r => r.row.Address)
            .Skip((int)(skip ?? 0))
            .Take(size)
            .ToListAsync(cancel);
        return TypedResults.Ok(Paging.Placed(rows.ConvertAll(r => ViewOf(r.row, r.FromAccount, r.Name)), skip ?? 0, total));
    }

    private static CorrespondentView ViewOf(CorrespondentRow row, string account, string name) =>
        new(
            account,
            name,
            row.Address,
            row.Name,
            row.Received,
            row.Sent,
            MoveViews.Time(row.LastAt)!.Value,
            row.IsColleague,
            row is { Received: > 0, Sent: > 0, IsColleague: false },
            row.Note is { } note ? ContractWord.To<NoteWord>(note) : null,
            MoveViews.Time(row.NoteAt),
            row.NoteSaid
        );

    private static async Task<Results<Ok<CorrespondenceAnswer>, ProblemHttpResult>> AskAsync(
        string batch,
        CorrespondenceRequest request,
        Database database,
        Moves moves,
        Correspondences correspondences,
        CurrentPlan current,
        WorkSignal signal,
        LiveHub live,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Ask is CorrespondenceAsk.Send && (request.Moves is not { Count: > 0 } || string.IsNullOrWhiteSpace(request.Because)))
            return Problems.Invalid(
                "A note is sent in somebody's name only when they said so: it takes whose name, and how they said it.",
                "Name the person and the reason: --move WHO --because \"She asked for it by telephone\""
            );
        if (request.Days is < 1 or > MostDays)
            return Problems.Invalid($"{request.Days} is no number of days.", $"Take 1 to {MostDays}");
        var (only, problem) = await Selection.ResolveAsync(database, batch, request.Moves, cancel);
        if (problem is not null)
            return problem;
        var (people, refused) = await PeopleAsync(database, batch, only, cancel);
        if (refused is not null)
            return refused;
        if (request.Ask is CorrespondenceAsk.Send && await UnsendableAsync(batch, current, cancel) is { } silent)
            return silent;
        var (ids, who) = (people.ConvertAll(p => p.Id), context.User.Identity!.Name!);
        var notes = 0;
        if (request.Ask is CorrespondenceAsk.Count)
            await correspondences.CountAsync(
                ids,
                Instant.FromDateTimeOffset(time.GetUtcNow()) - Duration.FromDays(request.Days ?? UsualDays),
                who,
                cancel
            );
        else if (request.Ask is CorrespondenceAsk.None)
            notes = await correspondences.DropNoteAsync(ids, who, cancel);
        else
            notes = await correspondences.WantNoteAsync(
                ids,
                request.Ask is CorrespondenceAsk.Draft ? NoteWay.Draft : NoteWay.Send,
                [.. (request.Leave ?? []).Select(a => a.Trim().ToLowerInvariant())],
                request.Because?.Trim(),
                who,
                cancel
            );
        var timetable = await current.TimetableOfAsync(batch, cancel);
        foreach (var move in await moves.StepAsync(batch, ids, who, "is looked after", (m, now) => m.LookAfter(timetable, now), cancel))
            live.Touch(move);
        signal.Raise();
        return TypedResults.Ok(new CorrespondenceAnswer(people.ConvertAll(p => p.FromAccount), notes));
    }

    private static async Task<ProblemHttpResult?> UnsendableAsync(string batch, CurrentPlan current, CancellationToken cancel)
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        var to = plan.Services.First(s => s.Name == plan.RouteOf(planned).To);
        return to.Sending is not null
            ? null
            : Problems.Refused(
                $"Nothing says how people of {to.Name} send mail.",
                $"Write sending: {{speaks: smtp, …}} for {to.Name} into the plan, or put the note among the drafts"
            );
    }

    /// <summary>Those who have crossed and have a new address; of people who were named, each has to.</summary>
    private static async Task<(List<MoveRow> People, ProblemHttpResult? Refused)> PeopleAsync(
        Database database,
        string batch,
        IReadOnlyCollection<long>? only,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var rows = await Moves.Chosen(db, batch, only).OrderBy(m => m.Id).ToListAsync(cancel);
        // Of a whole batch, those who are held are left out.
        var fitting = rows.Where(m =>
                m.Stage is Stage.Settling && !KeepsAddress(m) && (only is not null || m.Condition is not ConditionKind.Held)
            )
            .ToList();
        if (fitting.Find(m => m.Condition is ConditionKind.Held) is { } held)
            return (
                [],
                Problems.Refused($"{held.FromAccount} is held.", $"Resume it first: caravan resume {batch} --move {held.FromAccount}")
            );
        if (fitting.Count == 0 || (only is not null && fitting.Count < rows.Count))
        {
            var other = rows.Except(fitting).FirstOrDefault();
            return (
                [],
                other is not null && KeepsAddress(other)
                    ? Problems.Refused(
                        $"{other.FromAccount} keeps its address.",
                        "There is nothing to tell; name people whose address changes"
                    )
                    : Problems.Refused(
                        other is null ? "Nobody has crossed yet." : $"{other.FromAccount} has not crossed, or is done.",
                        "Ask for it while the person is settling"
                    )
            );
        }
        return (fitting, null);
    }

    private static bool KeepsAddress(MoveRow row) => string.Equals(row.FromAccount, row.ToAccount, StringComparison.OrdinalIgnoreCase);
}
