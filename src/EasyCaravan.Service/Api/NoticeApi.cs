using EasyCaravan.Contract;
using EasyCaravan.Core.Notifying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Notifying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>Notices: whom the service told of what, how they look, and their switch.</summary>
internal static class NoticeApi
{
    private const string NoNotices = "The plan in force has no notices.";
    private const string HowTo = "Write 'notices:' into the plan and apply it; docs/notices.md shows one";

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/notices", ListAsync).WithSummary("Whom the service told of what, or will, the newest first");
        api.MapGet("/notices/settings", SettingsAsync)
            .WithSummary("Who is told of what, what is switched off, and how many are in each state");
        api.MapGet("/notices/preview", PreviewAsync).WithSummary("A letter as it would be sent, with facts of this moment");
        api.MapPost("/notices/test", TestAsync).WithSummary("Sends one letter at once to any address, and says what the server answered");
        api.MapPost("/notices/again", AgainAsync)
            .WithSummary("Sends notices again that were refused, came back, are unclear, or were sent");
        api.MapPost("/notices/switch", SwitchAsync).WithSummary("Switches notices off or on, of a batch or all");
    }

    private static async Task<Results<Ok<Page<NoticeView>>, ProblemHttpResult>> ListAsync(
        Database database,
        CancellationToken cancel,
        string? batch = null,
        [WordOf<NoticeStateWord>] string? state = null,
        string? search = null,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (before, wrong) = Paging.Read(cursor);
        if (wrong is not null)
            return wrong;
        await using var db = database.Read();
        var query = db.Notices.AsQueryable();
        if (batch is not null)
            query = query.Where(n => n.Batch == batch);
        if (state is not null)
        {
            if (!Enum.TryParse<NoticeState>(state.Replace("-", "", StringComparison.Ordinal), ignoreCase: true, out var wanted))
                return Problems.Invalid(
                    $"'{state}' is no state of a notice.",
                    "due, handing-over, sent, refused, unclear, bounced or dropped"
                );
            query = query.Where(n => n.State == wanted);
        }
        if (!string.IsNullOrWhiteSpace(search))
        {
            var text = search.Trim().ToLowerInvariant();
#pragma warning disable CA1304, CA1311, CA1862 // Translated to the database's own functions.
            query = query.Where(n =>
                n.To.ToLower().Contains(text) || n.Account!.ToLower().Contains(text) || n.Subject!.ToLower().Contains(text)
            );
#pragma warning restore CA1304, CA1311, CA1862
        }
        var (total, size) = (await query.CountAsync(cancel), Paging.SizeOf(limit));
        if (before is not null)
            query = query.Where(n => n.Id < before);
        var rows = await query.OrderByDescending(n => n.Id).Take(size + 1).ToListAsync(cancel);
        var page = Paging.Of(rows, size, n => n.Id, total);
        return TypedResults.Ok(new Page<NoticeView>([.. page.Items.Select(ViewOf)], page.Next, page.Total));
    }

    private static NoticeView ViewOf(NoticeRow row) =>
        new(
            row.Id,
            ContractWord.To<NoticeAbout>(row.About),
            ContractWord.To<NoticeWayWord>(row.Way),
            row.To,
            row.Language,
            row.Batch,
            row.Account,
            ContractWord.To<NoticeStateWord>(row.State),
            MoveViews.Time(row.MadeAt)!.Value,
            MoveViews.Time(row.DueAt)!.Value,
            MoveViews.Time(row.EndedAt),
            row.Attempts,
            row.Answer,
            row.Subject
        );

    private static async Task<Ok<NoticesView>> SettingsAsync(CurrentPlan current, Database database, CancellationToken cancel)
    {
        var notices = (await current.GetAsync(cancel)).Plan?.Notices ?? new Notices();
        await using var db = database.Read();
        var off = await db.NoticeSwitches.ToListAsync(cancel);
        var states = await db.Notices.GroupBy(n => n.State).Select(g => new { g.Key, Count = g.Count() }).ToListAsync(cancel);
        return TypedResults.Ok(
            new NoticesView(
                notices.From,
                notices.Administrators,
                [.. notices.ToAdministrators.Select(e => ContractWord.To<NoticeAbout>(e))],
                [.. notices.ToPeople.Select(e => ContractWord.To<NoticeAbout>(e))],
                [.. notices.Webhooks.Select(w => w.Name)],
                MoveViews.Time(off.Find(s => s.Batch.Length == 0)?.OffSince),
                [.. off.Where(s => s.Batch.Length > 0).Select(s => s.Batch).Order(StringComparer.Ordinal)],
                states.ToDictionary(s => KebabWord.Of(s.Key), s => s.Count)
            )
        );
    }

    private static async Task<Results<Ok<NoticePreview>, ProblemHttpResult>> PreviewAsync(
        [WordOf<NoticeAbout>] string about,
        CurrentPlan current,
        Database database,
        TimeProvider time,
        CancellationToken cancel,
        string? batch = null,
        string? move = null,
        string? language = null
    )
    {
        if (!Enum.TryParse<NoticeEvent>(about.Replace("-", "", StringComparison.Ordinal), ignoreCase: true, out var wanted))
            return Problems.Invalid($"Nothing is told about '{about}'.", string.Join(", ", NoticeEvents.All.Select(e => KebabWord.Of(e))));
        var (plan, notices, problem) = await NoticesAsync(current, cancel);
        if (notices is null)
            return problem!;
        var (written, wrong) = await WriteAsync(database, plan!, notices, time, wanted, batch, move, language, cancel);
        return written is { } w ? TypedResults.Ok(new NoticePreview(w.To, w.Letter.Subject, w.Letter.Text, w.Letter.Html)) : wrong!;
    }

    private static async Task<(Plan? Plan, Notices? Notices, ProblemHttpResult? Problem)> NoticesAsync(
        CurrentPlan current,
        CancellationToken cancel
    ) =>
        (await current.GetAsync(cancel)).Plan is { Notices: { } notices } plan
            ? (plan, notices, null)
            : (null, null, Problems.NotFound(NoNotices, HowTo));

    /// <summary>A letter with facts of this moment.</summary>
    private static async Task<((string To, string Language, Letter Letter)? Written, ProblemHttpResult? Problem)> WriteAsync(
        Database database,
        Plan plan,
        Notices notices,
        TimeProvider time,
        NoticeEvent about,
        string? batchName,
        string? who,
        string? language,
        CancellationToken cancel
    )
    {
        if (language is not null && !LetterTemplates.Languages.Contains(language))
            return (null, Problems.Invalid($"Nothing is written in '{language}'.", string.Join(", ", LetterTemplates.Languages)));
        if ((batchName is null ? plan.Batches[0] : plan.Batches.FirstOrDefault(b => b.Name == batchName)) is not { } batch)
            return (null, BatchApi.NoBatch(batchName!));
        await using var db = database.Read();
        var move = await db.Moves.Where(m => m.Batch == batch.Name).OrderBy(m => m.Id).FirstOrDefaultAsync(cancel);
        if (who is not null)
        {
            var (found, problem) = await Selection.ResolveAsync(database, batch.Name, [who], cancel);
            if (found is not [var id])
                return (null, problem);
            move = await db.Moves.FirstAsync(m => m.Id == id, cancel);
        }
        if (about.IsForPeople() && move is null)
            return (null, Problems.NotFound($"Nobody is in batch '{batch.Name}'.", "Choose a batch with people in it"));
        var words = language ?? (about.IsForPeople() ? move?.Language : null) ?? notices.Language;
        var facts = new NoticeWriter(plan, notices).FactsIn(words);
        var to = notices.Administrators.FirstOrDefault() ?? "";
        if (about.IsForPeople())
        {
            facts = facts.Batch(batch).Person(move!).Kind(Core.Planning.Kind.Mail, move!.Carried + move.Paired);
            to = move.Notify ?? (about is NoticeEvent.Crossed ? move.ToAccount : move.FromAccount);
        }
        else
        {
            facts = await AdministratorFactsAsync(db, database, plan, notices, time, facts, about, batch, cancel);
        }
        return (
            (
                to,
                words,
                await LetterTemplates.WriteAsync(about, words, NoticeFacts.Read(facts.Json), batch.Notices.Templates, notices.Templates)
            ),
            null
        );
    }

    private static async Task<NoticeFacts> AdministratorFactsAsync(
        CaravanDb db,
        Database database,
        Plan plan,
        Notices notices,
        TimeProvider time,
        NoticeFacts facts,
        NoticeEvent about,
        Batch batch,
        CancellationToken cancel
    )
    {
        var needs = await NeedsYouViews.LoadAsync(db, plan, database.Trouble, cancel);
        var groups = await MoveGroup.LoadAsync(db, only: null, cancel);
        if (about is NoticeEvent.Digest)
            return facts.Day(
                Instant.FromDateTimeOffset(time.GetUtcNow()).InZone(notices.Zone).Date,
                await BatchViews.LoadAsync(db, plan, null, groups, database.Trouble, cancel),
                needs,
                TodayApi.NextOf(groups)
            );
        if (about is not NoticeEvent.NeedsYou)
            return facts.Batch(batch).People(await db.Moves.CountAsync(m => m.Batch == batch.Name, cancel));
        var need = needs.Find(n => n.Moves.Any(m => m.Batch == batch.Name))
            ?? new NeedsYou("sign-in-refused", "the service does not let the account in", "Set the right password", 1, [], null, null);
        var own = need.Moves.Where(m => m.Batch == batch.Name).ToList();
        return facts.Batch(batch).Need(need, own, Math.Max(1, own.Count));
    }

    private static async Task<Results<Ok<NoticeTested>, ProblemHttpResult>> TestAsync(
        NoticeTest request,
        CurrentPlan current,
        Database database,
        SecretPlaces secrets,
        IMessageSenders senders,
        Journal journal,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (plan, notices, problem) = await NoticesAsync(current, cancel);
        if (notices is null)
            return problem!;
        if (notices is not { Sending: not null, From: not null })
            return Problems.Refused(
                "The plan's notices do not say how mail is sent.",
                "Write from: and sending: below notices:, and apply the plan"
            );
        if (!MimeKit.MailboxAddress.TryParse(request.To, out var to) || !to.Address.Contains('@', StringComparison.Ordinal))
            return Problems.Invalid($"'{request.To}' is no mail address.", "Give an address such as desk@saltmarsh.example");
        var about = ContractWordBack(request.About ?? NoticeAbout.Digest);
        var (written, wrong) = await WriteAsync(database, plan!, notices, time, about, request.Batch, null, request.Language, cancel);
        if (written is not { } w)
            return wrong!;
        await using var sender = await senders.OpenAsync(notices, notices.Login is { } l ? secrets.Read(l.Secret) : null, cancel);
        var id = $"test.{Guid.NewGuid():N}@{NoticeKeeper.DomainOf(notices)}";
        var end = await sender.SendAsync(
            new OutgoingLetter(id, notices.From, notices.ReplyTo, to.Address, w.Language, w.Letter),
            _ => Task.FromResult(true),
            cancel
        );
        await journal.WriteAsync(context.User.Identity!.Name!, request.Batch, null, $"sent a letter to {to.Address} to try", cancel);
        return end switch
        {
            LetterEnd.Taken taken => TypedResults.Ok(new NoticeTested(taken.Answer)),
            LetterEnd.Refused refused => Problems.Refused(refused.Fault),
            LetterEnd.NotNow not => Problems.Refused(not.Fault),
            LetterEnd.Unclear unclear => Problems.Refused(unclear.Fault),
            _ => throw new InvalidOperationException($"Unknown end {end}."),
        };
    }

    private static NoticeEvent ContractWordBack(NoticeAbout about) => Enum.Parse<NoticeEvent>(about.ToString());

    private static async Task<Results<Ok<NoticesDue>, ProblemHttpResult>> AgainAsync(
        NoticesAgain request,
        NoticeBox box,
        Journal journal,
        HttpContext context,
        CancellationToken cancel
    )
    {
        const int Most = 1000;
        if (request.Ids.Count is 0 or > Most)
            return Problems.Invalid(
                $"Between 1 and {Most} notices can be sent again at once.",
                "Give their numbers, as 'caravan notices' lists them"
            );
        var due = await box.AgainAsync(request.Ids, cancel);
        if (due.Count > 0)
            await journal.WriteAsync(context.User.Identity!.Name!, null, null, $"had {due.Count} notice(s) sent again", cancel);
        return TypedResults.Ok(new NoticesDue(due.Count));
    }

    private static async Task<Results<Ok<NoticeSwitch>, ProblemHttpResult>> SwitchAsync(
        NoticeSwitch request,
        CurrentPlan current,
        NoticeBox box,
        Journal journal,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Batch is { } name && (await current.GetAsync(cancel)).Plan?.Batches.Any(b => b.Name == name) != true)
            return BatchApi.NoBatch(name);
        var who = context.User.Identity!.Name!;
        await box.SwitchAsync(request.Batch, request.On, who, cancel);
        await journal.WriteAsync(who, request.Batch, null, $"switched notices {(request.On ? "on" : "off")}", cancel);
        return TypedResults.Ok(request);
    }
}
