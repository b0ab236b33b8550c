using EasyCaravan.Core.Planning;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Service.Notifying;

/// <summary>
/// Makes the notices of one event: one for each administrator or for the person, and one for each webhook that wants it.
/// </summary>
internal sealed class NoticeWriter(Plan plan, Notices notices)
{
    /// <param name="what">What happened, so that it is told once.</param>
    /// <param name="facts">What is told, in the language that is given.</param>
    public IEnumerable<NewNotice> ForAdministrators(NoticeEvent about, string what, Batch? batch, Func<NoticeFacts, NoticeFacts> facts)
    {
        if (batch is { Notices.ToAdministrators: false })
            yield break;
        if (notices.ToAdministrators.Contains(about))
            foreach (var address in notices.Administrators)
                yield return new NewNotice(
                    about,
                    what,
                    NoticeWay.Mail,
                    address,
                    notices.Language,
                    batch?.Name,
                    null,
                    facts(FactsIn(notices.Language)).Json
                );
        foreach (var hook in Hooks(about, what, batch, null, facts))
            yield return hook;
    }

    public IEnumerable<NewNotice> ForPerson(NoticeEvent about, string what, Batch batch, MoveRow move, Func<NoticeFacts, NoticeFacts> facts)
    {
        if (!batch.Notices.ToPeople)
            yield break;
        var language = move.Language ?? notices.Language;
        // After the crossing the new mailbox is the one that is read.
        var address = move.Notify ?? (about is NoticeEvent.Crossed ? move.ToAccount : move.FromAccount);
        if (notices.ToPeople.Contains(about) && address.Contains('@', StringComparison.Ordinal))
            yield return new NewNotice(
                about,
                what,
                NoticeWay.Mail,
                address,
                language,
                batch.Name,
                move.FromAccount,
                facts(FactsIn(language).Batch(batch).Person(move)).Json
            );
        foreach (var hook in Hooks(about, what, batch, move.FromAccount, f => facts(f.Batch(batch).Person(move))))
            yield return hook;
    }

    private IEnumerable<NewNotice> Hooks(
        NoticeEvent about,
        string what,
        Batch? batch,
        string? account,
        Func<NoticeFacts, NoticeFacts> facts
    ) =>
        notices
            .Webhooks.Where(h => h.About.Contains(about))
            .Select(h => new NewNotice(about, what, NoticeWay.Webhook, h.Name, "en", batch?.Name, account, facts(FactsIn("en")).Json));

    public NoticeFacts FactsIn(string language) => new(plan, notices, language);

    /// <summary>Whether anybody is told of it at all.</summary>
    public bool Tells(NoticeEvent about) =>
        notices.ToPeople.Contains(about) || notices.ToAdministrators.Contains(about) || notices.Webhooks.Any(h => h.About.Contains(about));
}
