using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>LIST, STATUS, CREATE and SUBSCRIBE: which folders there are, and the names by which the server knows them.</summary>
/// <remarks>LIST (RFC 9051 §6.3.9), STATUS in LIST (RFC 5819), special use (RFC 6154), change marks (RFC 7162).</remarks>
internal sealed class ImapFolders(ImapConnection connection, ImapTraits traits)
{
    /// <summary>More than anybody has: beyond it lies nonsense that would fill the memory.</summary>
    private const int MostFolders = 100_000;

    /// <summary>Folders whose commands leave together.</summary>
    private const int Together = 50;

    /// <summary>Stands for a name that is empty.</summary>
    private const string NoName = "_";

    private readonly Dictionary<FolderPath, string> _raw = [];
    private readonly Dictionary<string, uint> _epochs = [];

    private string StatusItems => traits.Can(ImapCapabilities.CondStore | ImapCapabilities.QuickResync) ? "MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ" : "MESSAGES UIDNEXT UIDVALIDITY";

    public async Task<IReadOnlyList<FolderState>> ListAsync(CancellationToken cancel)
    {
        var entries = new List<Entry>();
        void Add(Entry entry)
        {
            if (entries.Count == MostFolders) throw connection.Wire.Break(Cause.ProtocolBroken, $"the server lists more than {MostFolders} folders");
            entries.Add(entry);
        }
        var cursors = new Dictionary<string, FolderCursor>();
        var withStatus = traits.Can(ImapCapabilities.ListStatus);
        var subscribed = new HashSet<string>();
        string list;
        if (traits.Can(ImapCapabilities.ListExtended) || withStatus)
        {
            var options = new List<string> { "SUBSCRIBED" };
            if (traits.Can(ImapCapabilities.SpecialUse)) options.Add("SPECIAL-USE");
            if (withStatus) options.Add($"STATUS ({StatusItems})");
            list = $"LIST \"\" \"*\" RETURN ({string.Join(' ', options)})";
        }
        else
        {
            list = "LIST \"\" \"*\"";
            await connection.MustAsync("LSUB \"\" \"*\"", r => ReadList(r, "LSUB", e => subscribed.Add(e.Raw)), "the list of subscriptions was refused", Cause.NotPermitted, cancel);
        }
        await connection.MustAsync(list, r => { ReadList(r, "LIST", Add); ReadStatus(r, cursors); }, "the list of folders was refused", Cause.NotPermitted, cancel);

        // One entry a name; a server that shows a folder twice means the same folder.
        var own = entries.Where(e => IsOwn(e.Raw)).GroupBy(e => e.Raw).Select(g => g.First()).ToList();
        if (!withStatus) await AskStatusAsync(own, cursors, cancel);

        var folders = new List<FolderState>(own.Count);
        var taken = new HashSet<FolderPath>();
        // Where two names become one path, the one that is written as we would write it keeps the path. The others' numbers do not depend on the server's order.
        var paths = own.Select(e => (e.Raw, Path: PathOf(e.Raw, e.Separator))).Where(e => e.Path is not null)
            .OrderBy(e => WrittenAs(e.Path!) != e.Raw).ThenBy(e => e.Raw, StringComparer.Ordinal).ToDictionary(e => e.Raw, e => Free(e.Path!, taken));
        foreach (var entry in own)
        {
            // The root itself, which holds no messages.
            if (!paths.TryGetValue(entry.Raw, out var path)) continue;
            _raw[path] = entry.Raw;
            if (cursors.TryGetValue(entry.Raw, out var cursor)) _epochs[entry.Raw] = cursor.Epoch;
            folders.Add(new FolderState(path, entry.Use, entry.Selectable, entry.Subscribed || subscribed.Contains(entry.Raw), cursor));
        }
        return folders;
    }

    /// <summary>The path, or the next one with a number that no other folder has.</summary>
    private static FolderPath Free(FolderPath path, HashSet<FolderPath> taken)
    {
        var free = path;
        for (var number = 2; !taken.Add(free); number++) free = FolderPath.Of(path.Names.SetItem(path.Names.Length - 1, $"{path.Names[^1]} ({number})"));
        return free;
    }

    /// <summary>The server's name for a folder: as it was listed, or as it has to be written to make it.</summary>
    public string RawName(FolderPath path) => _raw.TryGetValue(path, out var raw) ? raw : WrittenAs(path);

    private string WrittenAs(FolderPath path)
    {
        if (path.IsInbox && !traits.OtherRoot) return "INBOX";
        var names = path.Names.Select(traits.Encode);
        // Below the inbox means below it on every server, also where all folders live there.
        var prefix = path.Names[0] == "INBOX" && !traits.OtherRoot && traits.Prefix.StartsWith("INBOX", StringComparison.OrdinalIgnoreCase) ? "" : traits.Prefix;
        return prefix + string.Join(traits.Separator ?? '/', names);
    }

    public string Quoted(FolderPath path) => ImapSyntax.Quote(RawName(path), connection.Wire.Whom);

    public async Task<IReadOnlyList<MadeFolder>> CreateAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel)
    {
        var made = new List<MadeFolder>();
        foreach (var some in folders.Chunk(Together))
        {
            var asked = new List<(NewFolder Folder, bool Special, string Create, string Status, string? Subscribe)>();
            foreach (var folder in some)
            {
                var special = folder.Use is not SpecialUse.None && traits.Can(ImapCapabilities.CreateSpecialUse);
                var name = Quoted(folder.Path);
                asked.Add((folder, special, await connection.PutAsync($"CREATE {name}{(special ? $" (USE (\\{folder.Use}))" : "")}", cancel), await connection.PutAsync($"STATUS {name} ({StatusItems})", cancel),
                    folder.Subscribe ? await connection.PutAsync($"SUBSCRIBE {name}", cancel) : null));
            }
            var answers = new List<(NewFolder Folder, bool Special, ImapResult Created, ImapResult Stated, FolderCursor? Cursor)>();
            foreach (var (folder, special, create, status, subscribe) in asked)
            {
                var (created, (stated, cursor)) = (await connection.AnswerAsync(create, null, cancel), await ReadStatusAsync(status, cancel));
                if (subscribe is not null) await connection.AnswerAsync(subscribe, null, cancel);
                answers.Add((folder, special, created, stated, cursor));
            }
            foreach (var (folder, special, created, stated, cursor) in answers)
            {
                // RFC 6154 §3: a server may refuse a use, for example because another folder has it. The folder matters more.
                if (cursor is null && special) made.AddRange(await CreateAsync([folder with { Use = SpecialUse.None }], cancel));
                // Whether it was there before or not, what counts is that it is there now.
                else made.Add(new MadeFolder(Known(folder.Path, cursor ?? throw Unmade(folder.Path, created.IsOk ? stated : created)), WasThere: !created.IsOk));
            }
        }
        return made;
    }

    private FaultException Unmade(FolderPath path, ImapResult refused) =>
        new(ImapCauses.Refused(refused, connection.Wire, $"the folder '{path}' cannot be made", Cause.FolderRefused), Verdict.Keep);

    private async Task<(ImapResult Result, FolderCursor? Cursor)> ReadStatusAsync(string tag, CancellationToken cancel)
    {
        var cursors = new Dictionary<string, FolderCursor>();
        var result = await connection.AnswerAsync(tag, r => ReadStatus(r, cursors), cancel);
        return (result, result.IsOk ? cursors.Values.FirstOrDefault() : null);
    }

    private FolderCursor Known(FolderPath path, FolderCursor cursor)
    {
        var raw = RawName(path);
        (_raw[path], _epochs[raw]) = (raw, cursor.Epoch);
        return cursor;
    }

    /// <summary>A folder that is being opened, and what was learnt of it.</summary>
    public sealed class Opening(FolderPath path, string raw, bool writable, string tag)
    {
        public FolderPath Path { get; } = path;
        public string Raw { get; } = raw;
        public bool Writable { get; } = writable;
        public string Tag { get; } = tag;
        public uint? Epoch { get; set; }
        public uint? Exists { get; set; }
        public ImapResult? Result { get; set; }

        public void Take(ImapResponse response)
        {
            Epoch = ReadEpoch(response) ?? Epoch;
            Exists = ReadExists(response) ?? Exists;
        }
    }

    public bool IsOpen(FolderPath path) => connection.Open is { } open && open.Name == RawName(path);

    /// <summary>Opens a folder: one round trip, or none when it is open already and need not be looked at anew.</summary>
    public async Task OpenAsync(FolderPath path, bool writable, bool anew, CancellationToken cancel)
    {
        if (!anew && IsOpen(path) && (connection.Open!.Value.Writable || !writable)) return;
        var opening = await PutOpenAsync(path, writable, "", cancel);
        if (!await FinishOpenAsync(opening, null, cancel)) throw new FaultException(RefusalOf(opening), Verdict.Keep);
    }

    /// <summary>Puts in the buffer what makes a folder that is open for reading alone ready to be added to. Returns its tag; null when none of them is open so.</summary>
    /// <remarks>
    /// Quirk (a plain server of long standing, RFC 9051 §6.3.3): APPEND to a mailbox that this connection has open by EXAMINE is refused. Where
    /// UNSELECT (RFC 3691) is missing it is opened for writing: CLOSE would remove messages on a server that takes EXAMINE lightly.
    /// </remarks>
    public async Task<string?> PutReadyAsync(IReadOnlyList<FolderPath> folders, CancellationToken cancel)
    {
        if (connection.Open is not { Writable: false } || folders.FirstOrDefault(IsOpen) is not { } folder) return null;
        connection.Open = null;
        return await connection.PutAsync(traits.Can(ImapCapabilities.Unselect) ? "UNSELECT" : $"SELECT {Quoted(folder)}", cancel);
    }

    public Fault RefusalOf(Opening opening) => ImapCauses.Refused(opening.Result!, connection.Wire, $"the folder '{opening.Path}' cannot be opened", Cause.NotPermitted);

    /// <summary>Puts the command that opens a folder in the buffer; others that need it open may follow at once.</summary>
    public async Task<Opening> PutOpenAsync(FolderPath path, bool writable, string parameters, CancellationToken cancel)
    {
        connection.Open = null;
        connection.HasOpened = true;
        return new Opening(path, RawName(path), writable, await connection.PutAsync($"{(writable ? "SELECT" : "EXAMINE")} {Quoted(path)}{parameters}", cancel));
    }

    /// <summary>False when it was refused, and why is in the opening.</summary>
    public async Task<bool> FinishOpenAsync(Opening opening, Action<ImapResponse>? untagged, CancellationToken cancel)
    {
        return Conclude(opening, await connection.AnswerAsync(opening.Tag, r =>
        {
            opening.Take(r);
            untagged?.Invoke(r);
        }, cancel));
    }

    /// <summary>For who reads the answer by itself.</summary>
    public bool Conclude(Opening opening, ImapResult result)
    {
        opening.Result = result;
        if (!result.IsOk) return false;
        connection.Open = (opening.Raw, opening.Writable);
        // An empty folder holds no number that could be taken for another. Quirk (Courier): one that nothing was ever added to has a new numbering each second.
        if (opening.Epoch is { } now && opening.Exists is not 0 && _epochs.TryGetValue(opening.Raw, out var before) && now != before)
            throw connection.Wire.Break(Cause.ServiceBusy, $"the folder '{opening.Path}' was numbered anew while it was being read");
        return true;
    }

    private static uint? ReadExists(ImapResponse response)
    {
        var text = response.Text.Span;
        return text.EndsWith(" EXISTS"u8) && System.Buffers.Text.Utf8Parser.TryParse(text[2..], out uint count, out _) ? count : null;
    }

    /// <summary>Opens the inbox for writing and reads which flags it keeps (RFC 9051 §7.1, PERMANENTFLAGS); null when it does not say.</summary>
    public async Task<bool?> ReadKeepsKeywordsAsync(CancellationToken cancel)
    {
        bool? any = null;
        connection.Open = null;
        connection.HasOpened = true;
        await connection.MustAsync("SELECT INBOX", r =>
        {
            var text = r.Text.Span;
            if (text.IndexOf("[PERMANENTFLAGS ("u8) is var at and >= 0) any = text[at..].IndexOf("\\*"u8) >= 0;
        }, "the inbox cannot be opened", Cause.NotPermitted, cancel);
        connection.Open = ("INBOX", true);
        return any;
    }

    /// <summary>QUOTA (RFC 9208 §4.2.2): the tightest of the roots that hold the inbox.</summary>
    public async Task<Core.Surveying.Room?> ReadRoomAsync(CancellationToken cancel)
    {
        if (!traits.Can(ImapCapabilities.Quota)) return null;
        var rooms = new List<Core.Surveying.Room>();
        var result = await connection.RunAsync("GETQUOTAROOT INBOX", r => { if (ReadQuota(r) is { } room) rooms.Add(room); }, cancel);
        if (!result.IsOk) return null;
        return rooms.Where(r => r.Octets is not null || r.Messages is not null).OrderBy(r => r.Octets - r.UsedOctets ?? long.MaxValue).FirstOrDefault();
    }

    /// <summary>MYRIGHTS (RFC 4314 §3.5) of folders that can be written into: which may not.</summary>
    public async Task<IReadOnlyList<Core.Surveying.LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel)
    {
        var lacking = new List<Core.Surveying.LackingRight>();
        if (!traits.Can(ImapCapabilities.Acl)) return lacking;
        foreach (var some in folders.Where(f => f.Selectable).Chunk(100))
        {
            var asked = new List<(FolderPath Path, string Tag)>();
            foreach (var folder in some) asked.Add((folder.Path, await connection.PutAsync($"MYRIGHTS {Quoted(folder.Path)}", cancel)));
            foreach (var (path, tag) in asked)
            {
                string? rights = null;
                var result = await connection.AnswerAsync(tag, r => rights = ReadRights(r) ?? rights, cancel);
                if (result.IsOk && rights is not null && !rights.Contains('i', StringComparison.Ordinal)) lacking.Add(new Core.Surveying.LackingRight(path.ToString(), "the account may not add messages to it (right i)"));
            }
        }
        return lacking;
    }

    private static string? ReadRights(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (!tokens.TryWord("MYRIGHTS"u8)) return null;
        tokens.SkipSpaces();
        tokens.String();
        tokens.SkipSpaces();
        return Encoding.ASCII.GetString(tokens.String() ?? []);
    }

    private static Core.Surveying.Room? ReadQuota(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (!tokens.TryWord("QUOTA"u8)) return null;
        tokens.SkipSpaces();
        tokens.String();
        tokens.SkipSpaces();
        tokens.Take('(');
        var room = new Core.Surveying.Room(null, 0, null, 0);
        while (!tokens.TryTake(')'))
        {
            var name = Encoding.ASCII.GetString(tokens.Atom()).ToUpperInvariant();
            tokens.SkipSpaces();
            var used = (long)tokens.Number();
            tokens.SkipSpaces();
            var limit = (long)tokens.Number();
            tokens.SkipSpaces();
            // RFC 9208 §5.1: storage is counted in units of 1,024 octets.
            if (name == "STORAGE") room = room with { Octets = limit * 1024, UsedOctets = used * 1024 };
            else if (name == "MESSAGE") room = room with { Messages = limit, UsedMessages = used };
        }
        return room;
    }

    private async Task AskStatusAsync(List<Entry> entries, Dictionary<string, FolderCursor> cursors, CancellationToken cancel)
    {
        // All questions leave together: the distance to the server is paid once for every 100 folders.
        foreach (var some in entries.Where(e => e.Selectable).Chunk(100))
        {
            var tags = new List<string>();
            foreach (var entry in some) tags.Add(await connection.PutAsync($"STATUS {ImapSyntax.Quote(entry.Raw, connection.Wire.Whom)} ({StatusItems})", cancel));
            foreach (var tag in tags) await connection.AnswerAsync(tag, r => ReadStatus(r, cursors), cancel);
        }
    }

    private bool IsOwn(string raw) =>
        (!traits.OtherRoot && raw.Equals("INBOX", StringComparison.OrdinalIgnoreCase))
        || (raw.StartsWith(traits.Prefix, StringComparison.Ordinal) && !traits.Foreign.Any(f => raw.StartsWith(f, StringComparison.Ordinal)));

    private FolderPath? PathOf(string raw, char? separator)
    {
        if (!traits.OtherRoot && raw.Equals("INBOX", StringComparison.OrdinalIgnoreCase)) return FolderPath.Inbox;
        var below = raw[traits.Prefix.Length..];
        // Some servers end the names of folders that only hold others with a separator.
        if (separator is { } end) below = below.TrimEnd(end);
        if (below.Length == 0) return null;
        // A name that is empty (A//B) cannot stand in a path: it is shown as a mark, and the folder is known to the server by its own name.
        return FolderPath.Of((separator is { } s ? below.Split(s) : [below]).Select(n => n.Length == 0 ? NoName : traits.Decode(n)).Select(n => n.Length == 0 ? NoName : n));
    }

    private sealed record Entry(string Raw, char? Separator, SpecialUse Use, bool Selectable, bool Subscribed);

    private static void ReadList(ImapResponse response, string verb, Action<Entry> add)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (!tokens.TryWord(Encoding.ASCII.GetBytes(verb))) return;
        tokens.SkipSpaces();
        tokens.Take('(');
        var (use, selectable, subscribed) = (SpecialUse.None, true, false);
        while (!tokens.TryTake(')'))
        {
            var flag = Encoding.ASCII.GetString(tokens.Atom());
            if (flag.Equals("\\Noselect", StringComparison.OrdinalIgnoreCase) || flag.Equals("\\NonExistent", StringComparison.OrdinalIgnoreCase)) selectable = false;
            else if (flag.Equals("\\Subscribed", StringComparison.OrdinalIgnoreCase)) subscribed = true;
            else if (Enum.TryParse<SpecialUse>(flag.TrimStart('\\'), ignoreCase: true, out var known) && !char.IsDigit(flag[^1])) use = known;
            tokens.SkipSpaces();
        }
        tokens.SkipSpaces();
        var separator = tokens.String();
        tokens.SkipSpaces();
        var name = Encoding.Latin1.GetString(tokens.String() ?? throw new FormatException("a folder has no name"));
        if (name.Equals("INBOX", StringComparison.OrdinalIgnoreCase)) name = "INBOX";
        add(new Entry(name, separator is [var s] ? (char)s : null, use, selectable, subscribed));
    }

    private static void ReadStatus(ImapResponse response, Dictionary<string, FolderCursor> cursors)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (!tokens.TryWord("STATUS"u8)) return;
        tokens.SkipSpaces();
        var name = Encoding.Latin1.GetString(tokens.String() ?? throw new FormatException("a status has no folder"));
        tokens.SkipSpaces();
        tokens.Take('(');
        uint? messages = null, next = null, epoch = null;
        ulong? mark = null;
        while (!tokens.TryTake(')'))
        {
            if (tokens.TryWord("MESSAGES"u8)) { tokens.SkipSpaces(); messages = tokens.Number32(); }
            else if (tokens.TryWord("UIDNEXT"u8)) { tokens.SkipSpaces(); next = tokens.Number32(); }
            else if (tokens.TryWord("UIDVALIDITY"u8)) { tokens.SkipSpaces(); epoch = tokens.Number32(); }
            else if (tokens.TryWord("HIGHESTMODSEQ"u8)) { tokens.SkipSpaces(); mark = tokens.Number(); }
            else { tokens.Atom(); tokens.SkipValue(); }
            tokens.SkipSpaces();
        }
        // RFC 7162 §3.1.2.2: zero means that the folder keeps no marks.
        if (messages is { } m && next is { } n && epoch is { } e) cursors[name.Equals("INBOX", StringComparison.OrdinalIgnoreCase) ? "INBOX" : name] = new FolderCursor(e, n, mark is 0 ? null : mark, m);
    }

    private static uint? ReadEpoch(ImapResponse response)
    {
        var text = response.Text.Span;
        var at = text.IndexOf("[UIDVALIDITY "u8);
        return at >= 0 && System.Buffers.Text.Utf8Parser.TryParse(text[(at + 13)..], out uint epoch, out _) ? epoch : null;
    }
}
