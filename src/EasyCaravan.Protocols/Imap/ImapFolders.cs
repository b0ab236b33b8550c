using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Lists, makes and opens folders, and knows the names by which the server knows them.</summary>
internal sealed class ImapFolders(ImapConnection connection, ImapTraits traits)
{
    /// <summary>More folders than any account has; a server that lists more would fill the memory.</summary>
    private const int MostFolders = 100_000;

    /// <summary>Folders whose commands are sent together.</summary>
    private const int Together = 50;

    /// <summary>Stands for a name that is empty.</summary>
    private const string NoName = "_";

    private readonly Dictionary<FolderPath, string> _raw = [];
    private readonly Dictionary<string, uint> _uidValidities = [];

    public async Task<IReadOnlyList<FolderState>> ListAsync(CancellationToken cancel)
    {
        var entries = new List<ListedFolder>();
        var cursors = new Dictionary<string, FolderCursor>();
        var subscribed = new HashSet<string>();
        if (!ListVerb.TellsSubscriptions(traits))
        {
            await connection.MustAsync(
                ListVerb.Subscriptions,
                r =>
                {
                    if (ListVerb.Read(r, ImapVerbs.Lsub) is { } entry)
                        subscribed.Add(entry.Raw);
                },
                "the list of subscriptions was refused",
                Cause.NotPermitted,
                cancel
            );
        }
        void Take(ImapResponse response)
        {
            if (StatusVerb.Read(response) is { } status)
                cursors[status.Raw] = status.Cursor;
            if (ListVerb.Read(response, ImapVerbs.List) is not { } entry)
                return;
            if (entries.Count == MostFolders)
                throw connection.Wire.Break(Cause.ProtocolBroken, $"the server lists more than {MostFolders} folders");
            entries.Add(entry);
        }
        await connection.MustAsync(ListVerb.All(traits), Take, "the list of folders was refused", Cause.NotPermitted, cancel);

        // One entry per name: a server that lists a name twice means the same folder.
        var own = entries.Where(e => IsOwn(e.Raw)).GroupBy(e => e.Raw).Select(g => g.First()).ToList();
        if (!traits.Can(ImapCapabilities.ListStatus))
            await AskStatusAsync(own, cursors, cancel);

        var folders = new List<FolderState>(own.Count);
        var taken = new HashSet<FolderPath>();
        // Where two names become one path, the one that is written as we would write it keeps the path. The others' numbers do not depend
        // on the server's order.
        var paths = own.Select(e => (e.Raw, Path: PathOf(e.Raw, e.Separator)))
            .Where(e => e.Path is not null)
            .OrderBy(e => WrittenAs(e.Path!) != e.Raw)
            .ThenBy(e => e.Raw, StringComparer.Ordinal)
            .ToDictionary(e => e.Raw, e => Free(e.Path!, taken));
        foreach (var entry in own)
        {
            // The root itself, which holds no messages.
            if (!paths.TryGetValue(entry.Raw, out var path))
                continue;
            _raw[path] = entry.Raw;
            if (cursors.TryGetValue(entry.Raw, out var cursor))
                _uidValidities[entry.Raw] = cursor.Epoch;
            folders.Add(new FolderState(path, entry.Use, entry.Selectable, entry.Subscribed || subscribed.Contains(entry.Raw), cursor));
        }
        return folders;
    }

    /// <summary>The path, or the next one with a number that no other folder has.</summary>
    private static FolderPath Free(FolderPath path, HashSet<FolderPath> taken)
    {
        var free = path;
        for (var number = 2; !taken.Add(free); number++)
            free = FolderPath.Of(path.Names.SetItem(path.Names.Length - 1, $"{path.Names[^1]} ({number})"));
        return free;
    }

    /// <summary>The server's name for a folder: as it was listed, or as it has to be written to make it.</summary>
    public string RawName(FolderPath path) => _raw.TryGetValue(path, out var raw) ? raw : WrittenAs(path);

    private string WrittenAs(FolderPath path)
    {
        if (path.IsInbox && !traits.OtherRoot)
            return "INBOX";
        var names = path.Names.Select(traits.Encode);
        // A folder below INBOX stays below INBOX on every server, even on servers that keep all folders there.
        var prefix =
            path.Names[0] == "INBOX" && !traits.OtherRoot && traits.Prefix.StartsWith("INBOX", StringComparison.OrdinalIgnoreCase)
                ? ""
                : traits.Prefix;
        return prefix + string.Join(traits.Separator ?? '/', names);
    }

    public string Quoted(FolderPath path) => ImapSyntax.Quote(RawName(path), connection.Wire.Whom);

    public async Task<IReadOnlyList<MadeFolder>> CreateAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel)
    {
        var made = new List<MadeFolder>();
        foreach (var some in folders.Chunk(Together))
        {
            var asked = new List<(NewFolder Folder, string Create, string Status, string? Subscribe)>();
            foreach (var folder in some)
            {
                var name = Quoted(folder.Path);
                asked.Add(
                    (
                        folder,
                        await connection.PutAsync(CreateVerb.Of(name, folder.Use, traits), cancel),
                        await connection.PutAsync(StatusVerb.Of(name, traits), cancel),
                        folder.Subscribe ? await connection.PutAsync(SubscribeVerb.Of(name), cancel) : null
                    )
                );
            }
            var answers = new List<(NewFolder Folder, ImapResult Created, ImapResult Stated, FolderCursor? Cursor)>();
            foreach (var (folder, create, status, subscribe) in asked)
            {
                var (created, (stated, cursor)) = (
                    await connection.AnswerAsync(create, null, cancel),
                    await ReadStatusAsync(status, cancel)
                );
                if (subscribe is not null)
                    await connection.AnswerAsync(subscribe, null, cancel);
                answers.Add((folder, created, stated, cursor));
            }
            foreach (var (folder, created, stated, cursor) in answers)
            {
                // RFC 6154 §3: a server may refuse a use, for example because another folder has it. The folder matters more.
                if (cursor is null && CreateVerb.TakesUse(folder.Use, traits))
                    made.AddRange(await CreateAsync([folder with { Use = SpecialUse.None }], cancel));
                // It does not matter whether the folder existed before; it exists now.
                else
                    made.Add(
                        new MadeFolder(
                            Known(folder.Path, cursor ?? throw Unmade(folder.Path, created.IsOk ? stated : created)),
                            WasThere: !created.IsOk
                        )
                    );
            }
        }
        return made;
    }

    /// <summary>Looks right before it deletes: DELETE would take messages with it. False where the folder holds any.</summary>
    public async Task<bool> RemoveEmptyAsync(FolderPath path, CancellationToken cancel)
    {
        var name = Quoted(path);
        // Some servers refuse to delete the folder that is open.
        if (IsOpen(path))
            await OpenAsync(FolderPath.Inbox, writable: false, anew: true, cancel);
        var (stated, cursor) = await ReadStatusAsync(await connection.PutAsync(StatusVerb.Of(name, traits), cancel), cancel);
        if (cursor is null)
            throw new FaultException(
                ImapCauses.Refused(stated, connection.Wire, $"the folder '{path}' cannot be looked at", Cause.NotPermitted),
                Verdict.Keep
            );
        if (cursor.Count > 0)
            return false;
        await connection.MustAsync(DeleteVerb.Of(name), null, $"the folder '{path}' cannot be deleted", Cause.NotPermitted, cancel);
        await UnsubscribeAsync(path, cancel);
        _raw.Remove(path);
        return true;
    }

    /// <summary>That a server refuses it, because the folder is not on the list, does not matter.</summary>
    public async Task UnsubscribeAsync(FolderPath path, CancellationToken cancel) =>
        await connection.RunAsync(UnsubscribeVerb.Of(Quoted(path)), null, cancel);

    private FaultException Unmade(FolderPath path, ImapResult refused) =>
        new(ImapCauses.Refused(refused, connection.Wire, $"the folder '{path}' cannot be made", Cause.FolderRefused), Verdict.Keep);

    private async Task<(ImapResult Result, FolderCursor? Cursor)> ReadStatusAsync(string tag, CancellationToken cancel)
    {
        FolderCursor? cursor = null;
        var result = await connection.AnswerAsync(tag, r => cursor = StatusVerb.Read(r)?.Cursor ?? cursor, cancel);
        return (result, result.IsOk ? cursor : null);
    }

    private FolderCursor Known(FolderPath path, FolderCursor cursor)
    {
        var raw = RawName(path);
        (_raw[path], _uidValidities[raw]) = (raw, cursor.Epoch);
        return cursor;
    }

    public bool IsOpen(FolderPath path) => connection.Open is { } open && open.Name == RawName(path);

    /// <summary>Opens a folder: one round trip, or none when it is open already and its state need not be refreshed.</summary>
    public async Task OpenAsync(FolderPath path, bool writable, bool anew, CancellationToken cancel)
    {
        if (!anew && IsOpen(path) && (connection.Open!.Value.Writable || !writable))
            return;
        var opening = await PutOpenAsync(path, writable, cancel);
        if (!await FinishOpenAsync(opening, null, cancel))
            throw new FaultException(RefusalOf(opening), Verdict.Keep);
    }

    /// <summary>
    /// Puts in the buffer what makes a folder that is open for reading alone ready to be added to. Returns its tag; null when none of them
    /// is open so.
    /// </summary>
    /// <remarks>
    /// Quirk (a plain server of long standing, RFC 9051 §6.3.3): APPEND to a mailbox that this connection has open by EXAMINE is refused.
    /// Where UNSELECT (RFC 3691) is missing it is opened for writing: CLOSE would remove messages on a server that takes EXAMINE lightly.
    /// </remarks>
    public async Task<string?> PutReadyAsync(IReadOnlyList<FolderPath> folders, CancellationToken cancel)
    {
        if (connection.Open is not { Writable: false } || folders.FirstOrDefault(IsOpen) is not { } folder)
            return null;
        connection.Open = null;
        return await connection.PutAsync(
            traits.Can(ImapCapabilities.Unselect) ? UnselectVerb.Command : SelectVerb.Of(Quoted(folder), writable: true),
            cancel
        );
    }

    public Fault RefusalOf(FolderOpening opening) =>
        ImapCauses.Refused(opening.Result!, connection.Wire, $"the folder '{opening.Path}' cannot be opened", Cause.NotPermitted);

    /// <summary>Puts the command that opens a folder in the buffer; others that need it open may follow at once.</summary>
    public Task<FolderOpening> PutOpenAsync(FolderPath path, bool writable, CancellationToken cancel) =>
        PutOpenAsync(path, SelectVerb.Of(Quoted(path), writable), cancel);

    /// <summary>The same for reading, with what changed since a modification sequence told in the answer.</summary>
    public Task<FolderOpening> PutOpenSinceAsync(FolderPath path, uint uidValidity, ulong modSeq, CancellationToken cancel) =>
        PutOpenAsync(path, SelectVerb.Since(Quoted(path), uidValidity, modSeq), cancel);

    private async Task<FolderOpening> PutOpenAsync(FolderPath path, ImapCommand command, CancellationToken cancel)
    {
        connection.Open = null;
        connection.HasOpened = true;
        connection.Openings++;
        return new FolderOpening(path, RawName(path), command.Verb == ImapVerbs.Select, await connection.PutAsync(command, cancel));
    }

    /// <summary>False when it was refused, and why is in the opening.</summary>
    public async Task<bool> FinishOpenAsync(FolderOpening opening, Action<ImapResponse>? untagged, CancellationToken cancel)
    {
        return Conclude(
            opening,
            await connection.AnswerAsync(
                opening.Tag,
                r =>
                {
                    opening.Take(r);
                    untagged?.Invoke(r);
                },
                cancel
            )
        );
    }

    /// <summary>For callers that read the answer themselves.</summary>
    public bool Conclude(FolderOpening opening, ImapResult result)
    {
        connection.Openings--;
        opening.Result = result;
        if (!result.IsOk)
            return false;
        connection.Open = (opening.Raw, opening.Writable);
        // In an empty folder no UID can be mistaken for another. Quirk (Courier): a folder to which nothing was ever added has a new
        // UIDVALIDITY each second.
        if (
            opening.UidValidity is { } now
            && opening.Exists is not 0
            && _uidValidities.TryGetValue(opening.Raw, out var before)
            && now != before
        )
            throw connection.Wire.Break(Cause.ServiceBusy, $"the folder '{opening.Path}' was numbered anew while it was being read");
        return true;
    }

    /// <summary>
    /// Opens the inbox for writing and reads which flags it keeps (RFC 9051 §7.1, PERMANENTFLAGS); null when it does not say.
    /// </summary>
    public async Task<bool?> ReadKeepsKeywordsAsync(CancellationToken cancel)
    {
        bool? any = null;
        connection.Open = null;
        connection.HasOpened = true;
        await connection.MustAsync(
            SelectVerb.Of("INBOX", writable: true),
            r => any = SelectVerb.ReadKeepsKeywords(r) ?? any,
            "the inbox cannot be opened",
            Cause.NotPermitted,
            cancel
        );
        connection.Open = ("INBOX", true);
        return any;
    }

    /// <summary>The quota root of the inbox with the least free space; null when the server does not tell.</summary>
    public async Task<Core.Surveying.Room?> ReadRoomAsync(CancellationToken cancel)
    {
        if (!traits.Can(ImapCapabilities.Quota))
            return null;
        var rooms = new List<Core.Surveying.Room>();
        var result = await connection.RunAsync(
            GetQuotaRootVerb.Inbox,
            r =>
            {
                if (GetQuotaRootVerb.Read(r) is { } room)
                    rooms.Add(room);
            },
            cancel
        );
        if (!result.IsOk)
            return null;
        return rooms
            .Where(r => r.Octets is not null || r.Messages is not null)
            .OrderBy(r => r.Octets is null)
            .ThenBy(r => r.Octets?.Less(r.UsedOctets))
            .FirstOrDefault();
    }

    /// <summary>Folders to which the account may not add messages.</summary>
    public async Task<IReadOnlyList<Core.Surveying.LackingRight>> ReadLackingRightsAsync(
        IReadOnlyList<FolderState> folders,
        CancellationToken cancel
    )
    {
        var lacking = new List<Core.Surveying.LackingRight>();
        if (!traits.Can(ImapCapabilities.Acl))
            return lacking;
        foreach (var some in folders.Where(f => f.Selectable).Chunk(100))
        {
            var asked = new List<(FolderPath Path, string Tag)>();
            foreach (var folder in some)
                asked.Add((folder.Path, await connection.PutAsync(MyRightsVerb.Of(Quoted(folder.Path)), cancel)));
            foreach (var (path, tag) in asked)
            {
                string? rights = null;
                var result = await connection.AnswerAsync(tag, r => rights = MyRightsVerb.Read(r) ?? rights, cancel);
                if (result.IsOk && rights is not null && !rights.Contains(MyRightsVerb.Insert, StringComparison.Ordinal))
                    lacking.Add(new Core.Surveying.LackingRight(path.ToString(), "the account may not add messages to it (right i)"));
            }
        }
        return lacking;
    }

    private async Task AskStatusAsync(List<ListedFolder> entries, Dictionary<string, FolderCursor> cursors, CancellationToken cancel)
    {
        // All commands are sent together: one round trip for every 100 folders.
        foreach (var some in entries.Where(e => e.Selectable).Chunk(100))
        {
            var tags = new List<string>();
            foreach (var entry in some)
                tags.Add(await connection.PutAsync(StatusVerb.Of(ImapSyntax.Quote(entry.Raw, connection.Wire.Whom), traits), cancel));
            foreach (var tag in tags)
                await connection.AnswerAsync(
                    tag,
                    r =>
                    {
                        if (StatusVerb.Read(r) is { } status)
                            cursors[status.Raw] = status.Cursor;
                    },
                    cancel
                );
        }
    }

    private bool IsOwn(string raw) =>
        (!traits.OtherRoot && raw.Equals("INBOX", StringComparison.OrdinalIgnoreCase))
        || (
            raw.StartsWith(traits.Prefix, StringComparison.Ordinal) && !traits.Foreign.Any(f => raw.StartsWith(f, StringComparison.Ordinal))
        );

    private FolderPath? PathOf(string raw, char? separator)
    {
        if (!traits.OtherRoot && raw.Equals("INBOX", StringComparison.OrdinalIgnoreCase))
            return FolderPath.Inbox;
        var below = raw[traits.Prefix.Length..];
        // Some servers end the names of folders that only hold others with a separator.
        if (separator is { } end)
            below = below.TrimEnd(end);
        if (below.Length == 0)
            return null;
        // A name that is empty (A//B) cannot stand in a path: it is shown as a mark, and the folder is known to the server by its own name.
        return FolderPath.Of(
            (separator is { } s ? below.Split(s) : [below])
                .Select(n => n.Length == 0 ? NoName : traits.Decode(n))
                .Select(n => n.Length == 0 ? NoName : n)
        );
    }
}
