using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Goes through folders, many in one round trip: subscribes, changes flags, and lists the UIDs of all messages.</summary>
internal sealed class ImapFolderVisits(ImapConnection connection, ImapTraits traits, ImapFolders folders)
{
    /// <summary>Messages that may arrive while a folder is being listed.</summary>
    private const int MostArrivals = 100_000;

    /// <summary>Folders whose commands are sent before the first answer is read.</summary>
    private const int Together = 50;

    private sealed record Asked(
        FolderVisit Visit,
        string? Subscribe,
        FolderOpening? Opening,
        IReadOnlyList<IReadOnlyList<string>> Stores,
        SearchAnswer? Search
    );

    public async Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel)
    {
        var seen = new List<FolderSeen>(visits.Count);
        foreach (var some in visits.Chunk(Together))
        {
            var asked = new List<Asked>();
            foreach (var visit in some)
                asked.Add(await AskAsync(visit, cancel));
            // The answer to a search may arrive before those of commands sent ahead of it, so every pending search sees every response.
            var searches = asked.Select(a => a.Search).OfType<SearchAnswer>().ToList();
            void Take(ImapResponse response)
            {
                foreach (var search in searches)
                    if (search.Take(response))
                        return;
            }
            foreach (var one in asked)
            {
                seen.Add(await AnswerAsync(one, Take, cancel));
                if (one.Search is not null)
                    searches.Remove(one.Search);
            }
        }
        return seen;
    }

    /// <summary>Messages with one Message-ID, folder by folder. A folder that does not open holds none that could be reached.</summary>
    public async Task<IReadOnlyList<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IReadOnlyList<FolderPath> paths,
        string messageId,
        CancellationToken cancel
    )
    {
        var found = new List<(FolderPath, NumberSet)>();
        var command = SearchVerb.ByMessageId(ImapSyntax.Quote(messageId, connection.Wire.Whom));
        foreach (var path in paths)
        {
            try
            {
                await folders.OpenAsync(path, writable: false, anew: true, cancel);
            }
            catch (FaultException e) when (e.Verdict is Verdict.Keep && e.Fault.Action is not FaultAction.RetryLater)
            {
                continue;
            }
            if (await SearchAsync(command, path, cancel) is { Count: > 0 } numbers)
                found.Add((path, numbers));
        }
        return found;
    }

    public async Task<NumberSet> ListSinceAsync(FolderPath path, DateTimeOffset since, CancellationToken cancel)
    {
        await folders.OpenAsync(path, writable: false, anew: true, cancel);
        return await SearchAsync(SearchVerb.Since(since), path, cancel);
    }

    private async Task<NumberSet> SearchAsync(ImapCommand command, FolderPath path, CancellationToken cancel)
    {
        var search = new SearchAnswer(await connection.PutAsync(command, cancel));
        var result = await connection.AnswerAsync(search.Tag, r => search.Take(r), cancel);
        return result.IsOk
            ? search.Uids ?? new NumberSet()
            : throw new FaultException(
                ImapCauses.Refused(result, connection.Wire, $"'{path}' cannot be searched", Cause.NotPermitted),
                Verdict.Keep
            );
    }

    /// <summary>
    /// All commands for one folder are sent together with its SELECT: when that fails, the server refuses the others too.
    /// </summary>
    private async Task<Asked> AskAsync(FolderVisit visit, CancellationToken cancel)
    {
        var subscribe = visit.Subscribe ? await connection.PutAsync(SubscribeVerb.Of(folders.Quoted(visit.Path)), cancel) : null;
        var opening =
            visit.List || visit.Flags.Count > 0 ? await folders.PutOpenAsync(visit.Path, writable: visit.Flags.Count > 0, cancel) : null;
        var stores = new List<IReadOnlyList<string>>();
        foreach (var change in visit.Flags)
            stores.Add(await StoreAsync(change, cancel));
        return new Asked(
            visit,
            subscribe,
            opening,
            stores,
            visit.List ? new SearchAnswer(await connection.PutAsync(SearchVerb.All(traits), cancel)) : null
        );
    }

    private async Task<List<string>> StoreAsync(FlagChange change, CancellationToken cancel)
    {
        var tags = new List<string>();
        foreach (var command in StoreVerb.Of(change))
            tags.Add(await connection.PutAsync(command, cancel));
        return tags;
    }

    private async Task<FolderSeen> AnswerAsync(Asked asked, Action<ImapResponse> take, CancellationToken cancel)
    {
        var (visit, opening) = (asked.Visit, asked.Opening);
        if (asked.Subscribe is not null)
            await connection.AnswerAsync(asked.Subscribe, take, cancel);
        if (opening is null)
            return new FolderSeen(null, null, []);
        var refused = await folders.FinishOpenAsync(opening, take, cancel) ? null : folders.RefusalOf(opening);
        var flagsRefused = new List<Fault?>();
        foreach (var tags in asked.Stores)
        {
            Fault? fault = null;
            foreach (var tag in tags)
            {
                var stored = await connection.AnswerAsync(tag, take, cancel);
                if (!stored.IsOk)
                    fault ??= refused
                        ?? ImapCauses.Refused(
                            stored,
                            connection.Wire,
                            $"the flags of messages in '{visit.Path}' cannot be changed",
                            Cause.NotPermitted
                        );
            }
            flagsRefused.Add(fault);
        }
        if (asked.Search is null)
            return new FolderSeen(null, refused, flagsRefused);

        var result = await connection.AnswerAsync(asked.Search.Tag, take, cancel);
        if (!result.IsOk)
            refused ??= ImapCauses.Refused(result, connection.Wire, $"the messages of '{visit.Path}' cannot be listed", Cause.NotPermitted);
        if (refused is not null)
            return new FolderSeen(null, refused, flagsRefused);
        // No answer does not mean an empty folder: otherwise all its messages would count as lost.
        if (asked.Search.Uids is null && opening.Exists is not 0)
            throw connection.Wire.Garbage(new FormatException($"the search of '{visit.Path}' ended without its answer"));
        var all = asked.Search.Uids ?? new NumberSet();
        // A few messages may have arrived in between. Many more than EXISTS announced means that the server invents numbers.
        if (opening.Exists is { } exists && all.Count > (long)exists + MostArrivals)
            throw connection.Wire.Garbage(new FormatException($"{all.Count} messages are listed in a folder of {exists}"));
        return new FolderSeen(all, null, flagsRefused);
    }
}
