using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>A message as the twin keeps it.</summary>
internal sealed record MemoryMessage(uint Number, byte[] Octets, DateTimeOffset Received, FlagSet Flags, ulong Mark);

internal sealed class MemoryFolder(uint epoch)
{
    public uint Epoch { get; set; } = epoch;
    public uint Next { get; set; } = 1;
    public ulong Mark { get; set; } = 1;
    public List<MemoryMessage> Messages { get; } = [];

    public uint Add(byte[] octets, FlagSet flags, DateTimeOffset received)
    {
        Messages.Add(new MemoryMessage(Next, octets, received, flags, ++Mark));
        return Next++;
    }

    public void Remove(uint number)
    {
        Messages.RemoveAll(m => m.Number == number);
        Mark++;
    }

    public void SetFlags(uint number, FlagSet flags)
    {
        var at = Messages.FindIndex(m => m.Number == number);
        Messages[at] = Messages[at] with { Flags = flags, Mark = ++Mark };
    }
}

/// <summary>A mail service in memory, and the faults it shall make.</summary>
internal sealed class MemoryMail
{
    private uint _epochs = 100;

    public Dictionary<FolderPath, MemoryFolder> Folders { get; } = new() { [FolderPath.Inbox] = new MemoryFolder(99) };

    /// <summary>Calls until the connection breaks; null: never.</summary>
    public int? BreakAfter { get; set; }

    /// <summary>A broken append has arrived all the same: the answer was lost, not the message.</summary>
    public bool AnswersAreLost { get; set; }

    /// <summary>Whether appends tell where messages landed (UIDPLUS).</summary>
    public bool TellsWhere { get; set; } = true;

    /// <summary>Whether folders keep marks (CONDSTORE).</summary>
    public bool KeepsMarks { get; set; } = true;

    /// <summary>Whatever is searched for, every message is found.</summary>
    public bool SearchesLoosely { get; set; }

    /// <summary>Octets of messages that are refused, alone or in company.</summary>
    public Func<byte[], Fault?> Refuses { get; set; } = _ => null;

    /// <summary>What becomes of octets that are stored.</summary>
    public Func<byte[], byte[]> Stores { get; set; } = octets => octets;

    /// <summary>Folders that cannot be made.</summary>
    public Func<FolderPath, Fault?> RefusesFolder { get; set; } = _ => null;

    /// <summary>Octets of messages over which the connection ends, and how.</summary>
    public Func<byte[], Cause?> BreaksOver { get; set; } = _ => null;

    /// <summary>Keywords that messages may have; one that is not borne refuses the message.</summary>
    public Func<string, bool> BearsKeyword { get; set; } = _ => true;

    public Core.Surveying.Room? Room { get; set; }

    public bool KeepsKeywords { get; set; } = true;

    /// <summary>Messages have names that are the same in every folder (OBJECTID).</summary>
    public bool NamesMessages { get; set; }

    /// <summary>Numbers that are listed and never given out.</summary>
    public HashSet<uint> Hidden { get; } = [];

    /// <summary>Numbers whose octets the service does not give out.</summary>
    public HashSet<uint> Withheld { get; } = [];

    public Dictionary<FolderPath, SpecialUse> Uses { get; } = [];

    public HashSet<FolderPath> Subscribed { get; } = [];

    public List<string> Calls { get; } = [];

    /// <summary>What else happens while a call is under way.</summary>
    public Action<string>? Meanwhile { get; set; }

    public MemoryFolder Folder(string path)
    {
        var key = FolderPath.Parse(path);
        if (!Folders.TryGetValue(key, out var folder))
            Folders[key] = folder = new MemoryFolder(_epochs++);
        return folder;
    }

    public void Renumber(string path)
    {
        var folder = Folder(path);
        var messages = folder.Messages.ToList();
        (folder.Epoch, folder.Next) = (_epochs++, 1);
        folder.Messages.Clear();
        foreach (var message in messages)
            folder.Add(message.Octets, message.Flags, message.Received);
    }

    public void Call(string name)
    {
        Calls.Add(name);
        Meanwhile?.Invoke(name);
        if (BreakAfter is not { } left)
            return;
        BreakAfter = left - 1;
        if (left > 0)
            return;
        BreakAfter = null;
        throw new FaultException(new Fault(Cause.ConnectionLost, "a", "the connection was lost"), Verdict.Close);
    }

    public void Handle(byte[] octets, string service)
    {
        if (BreaksOver(octets) is { } cause)
            throw new FaultException(new Fault(cause, "a", "the connection ended") { Service = service }, Verdict.Close);
    }

    public FolderCursor CursorOf(MemoryFolder folder) =>
        new(folder.Epoch, folder.Next, KeepsMarks ? folder.Mark : null, (uint)folder.Messages.Count);
}

/// <summary>The port's twin in memory: the same promises, no wire.</summary>
internal sealed class MemoryAccount(MemoryMail mail) : IMailAccount
{
    public AccountTraits Traits { get; } = new('/', null) { NamesMessages = mail.NamesMessages };

    public Task<Core.Surveying.Room?> ReadRoomAsync(CancellationToken cancel) => Task.FromResult(mail.Room);

    public Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => Task.FromResult<bool?>(mail.KeepsKeywords);

    public Task<IReadOnlyList<Core.Surveying.LackingRight>> ReadLackingRightsAsync(
        IReadOnlyList<FolderState> folders,
        CancellationToken cancel
    ) => Task.FromResult<IReadOnlyList<Core.Surveying.LackingRight>>([]);

    public Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel)
    {
        mail.Call("list");
        return Task.FromResult<IReadOnlyList<FolderState>>([
            .. mail.Folders.Select(f => new FolderState(
                f.Key,
                mail.Uses.GetValueOrDefault(f.Key),
                true,
                mail.Subscribed.Contains(f.Key),
                mail.CursorOf(f.Value)
            )),
        ]);
    }

    public Task<IReadOnlyList<MadeFolder>> CreateFoldersAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel)
    {
        mail.Call("create");
        if (folders.Select(f => mail.RefusesFolder(f.Path)).FirstOrDefault(f => f is not null) is { } refused)
            throw new FaultException(refused, Verdict.Keep);
        foreach (var folder in folders.Where(f => f.Subscribe))
            mail.Subscribed.Add(folder.Path);
        return Task.FromResult<IReadOnlyList<MadeFolder>>([
            .. folders.Select(f =>
            {
                var wasThere = mail.Folders.ContainsKey(f.Path);
                return new MadeFolder(mail.CursorOf(mail.Folder(f.Path.ToString())), wasThere);
            }),
        ]);
    }

    public Task<bool> RemoveFolderAsync(FolderPath path, CancellationToken cancel)
    {
        mail.Call("delete");
        if (mail.Folders[path].Messages.Count > 0)
            return Task.FromResult(false);
        mail.Subscribed.Remove(path);
        return Task.FromResult(mail.Folders.Remove(path));
    }

    public Task UnsubscribeAsync(FolderPath path, CancellationToken cancel)
    {
        mail.Call("unsubscribe");
        mail.Subscribed.Remove(path);
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel)
    {
        if (visits.Count > 0)
            mail.Call(visits.Any(v => v.Flags.Count > 0) ? "change" : "numbers");
        return Task.FromResult<IReadOnlyList<FolderSeen>>([.. visits.Select(Visit)]);
    }

    private FolderSeen Visit(FolderVisit visit)
    {
        if (!mail.Folders.TryGetValue(visit.Path, out var folder))
            return new FolderSeen(null, NoFolder(visit.Path), [.. visit.Flags.Select(_ => NoFolder(visit.Path))]);
        if (visit.Subscribe)
            mail.Subscribed.Add(visit.Path);
        foreach (var change in visit.Flags)
        foreach (var message in Chosen(visit.Path, change.Numbers).ToList())
            folder.SetFlags(message.Number, FlagSet.Of(message.Flags.Except(change.Remove).Flags.Concat(change.Add.Flags)));
        return new FolderSeen(
            visit.List ? new NumberSet(folder.Messages.Select(m => m.Number)) : null,
            null,
            [.. visit.Flags.Select(_ => (Fault?)null)]
        );
    }

    public Task<IReadOnlyList<ItemInfo>> ListItemsAsync(
        FolderPath path,
        NumberSet numbers,
        IDictionary<uint, Fault> unreadable,
        CancellationToken cancel
    )
    {
        mail.Call("items");
        return Task.FromResult<IReadOnlyList<ItemInfo>>([
            .. Chosen(path, numbers)
                .Where(m => !mail.Hidden.Contains(m.Number))
                .Select(m => new ItemInfo(m.Number, new(m.Octets.Length), m.Received, m.Flags)),
        ]);
    }

    public Task ReadHeadersAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Action<int, ItemHeader> take,
        CancellationToken cancel,
        HeaderLines lines = HeaderLines.Identity
    )
    {
        mail.Call("headers");
        for (var i = 0; i < folders.Count; i++)
            foreach (var message in Chosen(folders[i].Path, folders[i].Numbers))
                take(i, new ItemHeader(message.Number, new(message.Octets.Length), HeaderOf(message.Octets)));
        return Task.CompletedTask;
    }

    public Task<NumberSet> ListNumbersSinceAsync(FolderPath path, DateTimeOffset since, CancellationToken cancel)
    {
        mail.Call("since");
        return Task.FromResult(
            new NumberSet(
                mail.Folders[path].Messages.Where(m => m.Received.UtcDateTime.Date >= since.UtcDateTime.Date).Select(m => m.Number)
            )
        );
    }

    public Task<IReadOnlyList<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IReadOnlyList<FolderPath> folders,
        string messageId,
        CancellationToken cancel
    )
    {
        mail.Call("find");
        var line = Encoding.ASCII.GetBytes($"<{messageId}>");
        return Task.FromResult<IReadOnlyList<(FolderPath, NumberSet)>>([
            .. folders
                .Where(mail.Folders.ContainsKey)
                .Select(f =>
                    (
                        f,
                        new NumberSet(
                            mail.Folders[f]
                                .Messages.Where(m => mail.SearchesLoosely || HeaderOf(m.Octets).AsSpan().IndexOf(line) >= 0)
                                .Select(m => m.Number)
                        )
                    )
                )
                .Where(f => f.Item2.Count > 0),
        ]);
    }

    public Task ReadNamesAsync(FolderPath path, NumberSet numbers, Action<uint, string> take, CancellationToken cancel)
    {
        mail.Call("names");
        foreach (var message in Chosen(path, numbers))
            take(message.Number, Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(message.Octets)));
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<FolderChange?>> ReadChangesAsync(IReadOnlyList<ChangeQuery> folders, CancellationToken cancel)
    {
        if (folders.Count > 0)
            mail.Call("changes");
        return Task.FromResult<IReadOnlyList<FolderChange?>>([
            .. folders.Select(f =>
            {
                var folder = mail.Folders[f.Path];
                if (folder.Epoch != f.Since.Epoch)
                    return null;
                var present = new NumberSet(folder.Messages.Select(m => m.Number));
                var changed = folder
                    .Messages.Where(m => m.Number < f.Since.Next && !(mail.KeepsMarks && m.Mark <= f.Since.Mark))
                    .Select(m => new FlagUpdate(m.Number, m.Flags))
                    .ToList();
                var items = folder
                    .Messages.Where(m => m.Number >= f.Since.Next && !mail.Hidden.Contains(m.Number))
                    .Select(m => new ItemInfo(m.Number, new(m.Octets.Length), m.Received, m.Flags))
                    .ToList();
                return new FolderChange((uint)folder.Messages.Count, null, present, changed, present.From(f.Since.Next), items, null);
            }),
        ]);
    }

    public Task<IMessageReader> ReadMessagesAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        CancellationToken cancel,
        bool withIndex = false
    )
    {
        mail.Call("read");
        return Task.FromResult<IMessageReader>(
            new Reader(
                mail,
                [.. folders.SelectMany((f, i) => Chosen(f.Path, f.Numbers).Select(m => (new ItemAt(i, m.Number), m)))],
                [.. folders.SelectMany((f, i) => f.Numbers.Select(n => new ItemAt(i, n)))]
            )
        );
    }

    public Task<IMessageWriter> AddMessagesAsync(IReadOnlyList<FolderPath> folders, int company, CancellationToken cancel) =>
        Task.FromResult<IMessageWriter>(new Writer(mail, [.. folders.Select(f => mail.Folders[f])], company));

    public Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(
        FolderPath path,
        NumberSet numbers,
        FolderPath to,
        CancellationToken cancel
    )
    {
        if (!mail.TellsWhere)
            return Task.FromResult<IReadOnlyDictionary<uint, uint>?>(null);
        if (!mail.AnswersAreLost)
            mail.Call("move");
        var places = new Dictionary<uint, uint>();
        foreach (var message in Chosen(path, numbers).ToList())
        {
            mail.Folders[path].Remove(message.Number);
            places[message.Number] = mail.Folders[to].Add(message.Octets, message.Flags, message.Received);
        }
        if (mail.AnswersAreLost)
            mail.Call("move");
        return Task.FromResult<IReadOnlyDictionary<uint, uint>?>(places);
    }

    public Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        mail.Call("remove");
        foreach (var message in Chosen(path, numbers).ToList())
            mail.Folders[path].Remove(message.Number);
        return Task.FromResult(true);
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;

    private IEnumerable<MemoryMessage> Chosen(FolderPath path, NumberSet numbers) =>
        mail.Folders.TryGetValue(path, out var folder)
            ? folder.Messages.Where(m => numbers.Contains(m.Number))
            : throw new FaultException(NoFolder(path), Verdict.Keep);

    private static Fault NoFolder(FolderPath path) => new(Cause.ProtocolBroken, "a", $"no folder {path}", "NONEXISTENT");

    private static byte[] HeaderOf(byte[] octets)
    {
        var text = Encoding.Latin1.GetString(octets);
        var end = text.IndexOf("\r\n\r\n", StringComparison.Ordinal);
        return Encoding.Latin1.GetBytes(end < 0 ? text : text[..(end + 2)]);
    }

    private sealed class Reader(MemoryMail mail, IReadOnlyList<(ItemAt At, MemoryMessage Message)> there, IReadOnlyList<ItemAt> wanted)
        : IMessageReader
    {
        private readonly Queue<(ItemAt At, MemoryMessage Message)> _left = new(there.Where(t => !mail.Withheld.Contains(t.At.Number)));
        private byte[] _current = [];
        private MemoryMessage? _message;

        /// <summary>Of every second message: a service may tell it by itself.</summary>
        public ItemInfo? Index =>
            _message is { } m && m.Number % 2 == 0 ? new ItemInfo(m.Number, new(m.Octets.Length), m.Received, m.Flags) : null;

        public IReadOnlyCollection<ItemAt> Gone => [.. wanted.Except(there.Select(t => t.At))];

        public IReadOnlyDictionary<ItemAt, Fault> Unreadable =>
            there
                .Where(t => mail.Withheld.Contains(t.At.Number))
                .ToDictionary(t => t.At, _ => new Fault(Cause.MessageUnreadable, "a", "the service does not give it out"));

        public ValueTask<MessageStart?> NextAsync(CancellationToken cancel)
        {
            if (!_left.TryDequeue(out var next))
                return ValueTask.FromResult<MessageStart?>(null);
            mail.Call("next");
            mail.Handle(next.Message.Octets, "from");
            _message = next.Message;
            _current = next.Message.Octets;
            return ValueTask.FromResult<MessageStart?>(new MessageStart(next.At.Folder, next.At.Number, new(next.Message.Octets.Length)));
        }

        public ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel)
        {
            var piece = _current.AsMemory(0, Math.Min(7, _current.Length));
            _current = _current[piece.Length..];
            return ValueTask.FromResult<ReadOnlyMemory<byte>>(piece);
        }
    }

    private sealed class Writer(MemoryMail mail, IReadOnlyList<MemoryFolder> folders, int company) : IMessageWriter
    {
        private readonly List<(ItemInfo Item, MemoryStream Octets)> _batch = [];
        private readonly List<AddReceipt> _receipts = [];
        private int _folder;

        public ValueTask BeginAsync(int folder, ItemInfo item, ByteCount size, ReadOnlyMemory<byte> first, CancellationToken cancel)
        {
            if (folder != _folder)
                Append();
            _folder = folder;
            _batch.Add((item, new MemoryStream()));
            _batch[^1].Octets.Write(first.Span);
            return ValueTask.CompletedTask;
        }

        public ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel)
        {
            _batch[^1].Octets.Write(piece.Span);
            return ValueTask.CompletedTask;
        }

        public ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel) =>
            _batch.Count >= company ? FinishAsync(cancel) : ValueTask.FromResult<IReadOnlyList<AddReceipt>>([]);

        public ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel)
        {
            Append();
            var receipts = _receipts.ToList();
            _receipts.Clear();
            return ValueTask.FromResult<IReadOnlyList<AddReceipt>>(receipts);
        }

        private void Append()
        {
            if (_batch.Count == 0)
                return;
            var batch = _batch.ToList();
            _batch.Clear();
            if (!mail.AnswersAreLost)
                mail.Call("append");
            foreach (var (_, octets) in batch)
                mail.Handle(octets.ToArray(), "to");
            // All or nothing, as MULTIAPPEND is.
            var unborne = batch.Exists(b => b.Item.Flags.Flags.Any(f => f[0] != '\\' && !mail.BearsKeyword(f)))
                ? new Fault(Cause.MessageRefused, "b", "keyword", "LIMIT")
                : null;
            if (batch.Select(b => mail.Refuses(b.Octets.ToArray())).FirstOrDefault(f => f is not null, unborne) is { } refused)
            {
                _receipts.AddRange(batch.Select(b => new AddReceipt(_folder, b.Item.Number, null, refused, batch.Count)));
                return;
            }
            var folder = folders[_folder];
            foreach (var (item, octets) in batch)
            {
                var key = new ItemKey(folder.Epoch, folder.Add(mail.Stores(octets.ToArray()), item.Flags, item.Received));
                _receipts.Add(new AddReceipt(_folder, item.Number, mail.TellsWhere ? key : null, null, batch.Count));
            }
            if (mail.AnswersAreLost)
                mail.Call("append");
        }
    }
}
