using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>
/// What happened in folders since they were last complete: EXAMINE with QRESYNC (RFC 7162 §3.2.5) tells it by itself; with CONDSTORE alone
/// (§3.1.4) what is present is listed beside the changed flags; with neither all flags are, and a digest tells whether anything changed.
/// </summary>
internal sealed class ImapChanges(ImapConnection connection, ImapTraits traits, ImapFolders folders, Dictionary<string, FlagSet> flagSets)
{
    /// <summary>Folders whose commands are sent before the first answer is read, so that they share one round trip.</summary>
    private const int Together = 50;

    /// <summary>New messages of one folder whose index is kept in memory; beyond that it is fetched again when they are carried.</summary>
    private const int MostItems = 10_000;

    private bool? _resync;

    private sealed record Asked(ChangeQuery Query, FolderOpening Opening, SearchAnswer? Search, IReadOnlyList<string> Tags);

    private sealed class Gathered
    {
        public NumberSet Gone { get; } = new();
        public NumberSet Fresh { get; } = new();
        public Dictionary<uint, FlagSet> Flags { get; } = [];
        public Dictionary<uint, ItemInfo> Items { get; } = [];
    }

    public async Task<IReadOnlyList<FolderChange?>> ReadAsync(IReadOnlyList<ChangeQuery> queries, CancellationToken cancel)
    {
        var changes = new List<FolderChange?>();
        foreach (var some in queries.Chunk(Together))
        {
            // RFC 7162 §3.2.3: QRESYNC must be enabled before the first folder is opened.
            var enabling =
                _resync is null && !connection.HasOpened && traits.Can(ImapCapabilities.QuickResync)
                    ? await connection.PutAsync(EnableVerb.QuickResync, cancel)
                    : null;
            _resync ??= enabling is not null;
            var asked = new List<Asked>();
            foreach (var query in some)
                asked.Add(await AskAsync(query, cancel));
            if (enabling is not null && !(await connection.AnswerAsync(enabling, null, cancel)).IsOk)
                _resync = false;
            foreach (var one in asked)
                changes.Add(await AnswerAsync(one, cancel));
        }
        return changes;
    }

    private async Task<Asked> AskAsync(ChangeQuery query, CancellationToken cancel)
    {
        var (since, now) = (query.Since, query.Now);
        // A mark of now says that the folder keeps marks; the one of then is otherwise a digest of ours.
        var modSeq = now.Mark is not null && traits.Can(ImapCapabilities.CondStore | ImapCapabilities.QuickResync) ? since.Mark : null;
        var resync = _resync == true && modSeq is not null;
        var opening = resync
            ? await folders.PutOpenSinceAsync(query.Path, since.Epoch, modSeq!.Value, cancel)
            : await folders.PutOpenAsync(query.Path, writable: false, cancel);
        var tags = new List<string>();
        SearchAnswer? search = null;
        if (!resync)
        {
            search = new SearchAnswer(await connection.PutAsync(SearchVerb.All(traits), cancel));
            tags.Add(search.Tag);
            if (since.Next > 1)
                tags.Add(await connection.PutAsync(FetchVerb.FlagsBelow(since.Next, modSeq), cancel));
        }
        if (now.Next > since.Next)
            tags.Add(await connection.PutAsync(FetchVerb.From(since.Next, FetchVerb.Index), cancel));
        return new Asked(query, opening, search, tags);
    }

    private async Task<FolderChange?> AnswerAsync(Asked asked, CancellationToken cancel)
    {
        var since = asked.Query.Since;
        var gathered = new Gathered();
        void Take(ImapResponse response)
        {
            if (asked.Search?.Take(response) != true)
                Gather(response, since, gathered);
        }
        var ok = await folders.FinishOpenAsync(asked.Opening, Take, cancel);
        foreach (var tag in asked.Tags)
            ok &= (await connection.AnswerAsync(tag, Take, cancel)).IsOk;
        if (!ok || asked.Opening.UidValidity is { } uidValidity && uidValidity != since.Epoch || asked.Opening.Exists is not { } count)
            return null;

        // No answer does not mean an empty folder: otherwise all its messages would count as deleted.
        if (asked.Search is { Uids: null } && count > 0)
            throw connection.Wire.Garbage(new FormatException($"the search of '{asked.Query.Path}' ended without its answer"));
        var present = asked.Search is null ? null : asked.Search.Uids ?? new NumberSet();
        if (present is not null)
        {
            if (present.Count > (long)count + gathered.Fresh.Count)
                throw connection.Wire.Garbage(new FormatException($"{present.Count} messages are listed in a folder of {count}"));
            gathered.Fresh.Clear();
            foreach (var (first, last) in present.From(since.Next).Ranges)
                gathered.Fresh.Add(first, last);
        }
        var digest = asked.Query.Now.Mark is null && present is not null ? DigestOf(present, gathered.Flags) : default(ulong?);
        var flags =
            digest is not null && digest == since.Mark
                ? []
                : gathered.Flags.Where(f => f.Key < since.Next).Select(f => new FlagUpdate(f.Key, f.Value)).ToList();
        return new FolderChange(
            count,
            present is null ? gathered.Gone : null,
            present,
            flags,
            gathered.Fresh,
            [.. gathered.Items.Values],
            digest
        );
    }

    private void Gather(ImapResponse response, FolderCursor since, Gathered into)
    {
        if (FetchRow.Read(response, flagSets) is { } row)
        {
            if (row.Uid is not { } uid)
                return;
            if (row.Flags is { } flags)
                into.Flags[uid] = flags;
            if (uid < since.Next)
                return;
            into.Fresh.Add(uid);
            if (row.Item is { } item && into.Items.Count < MostItems)
                into.Items[uid] = item;
            return;
        }
        if (SelectVerb.ReadVanished(response) is { } gone)
        {
            foreach (var (first, last) in gone.Ranges)
                into.Gone.Add(first, last);
        }
    }

    private static ulong DigestOf(NumberSet present, Dictionary<uint, FlagSet> flags)
    {
        var hash = new XxHash64();
        hash.Append(Encoding.ASCII.GetBytes(present.ToString()));
        foreach (var (number, set) in flags.OrderBy(f => f.Key))
            hash.Append(Encoding.UTF8.GetBytes($"\n{number} {set.Written}"));
        return hash.GetCurrentHashAsUInt64();
    }
}
