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

    /// <summary>Octets of messages that are refused, alone or in company.</summary>
    public Func<byte[], Fault?> Refuses { get; set; } = _ => null;

    /// <summary>Keywords that messages may have; one that is not borne refuses the message.</summary>
    public Func<string, bool> BearsKeyword { get; set; } = _ => true;

    public Core.Surveying.Room? Room { get; set; }

    public bool KeepsKeywords { get; set; } = true;

    /// <summary>Messages have names that are the same in every folder (OBJECTID).</summary>
    public bool NamesMessages { get; set; }

    /// <summary>Numbers that are listed and never given out.</summary>
    public HashSet<uint> Hidden { get; } = [];

    public Dictionary<FolderPath, SpecialUse> Uses { get; } = [];

    public List<string> Calls { get; } = [];

    public MemoryFolder Folder(string path)
    {
        var key = FolderPath.Parse(path);
        if (!Folders.TryGetValue(key, out var folder)) Folders[key] = folder = new MemoryFolder(_epochs++);
        return folder;
    }

    public void Renumber(string path)
    {
        var folder = Folder(path);
        var messages = folder.Messages.ToList();
        (folder.Epoch, folder.Next) = (_epochs++, 1);
        folder.Messages.Clear();
        foreach (var message in messages) folder.Add(message.Octets, message.Flags, message.Received);
    }

    public void Call(string name)
    {
        Calls.Add(name);
        if (BreakAfter is not { } left) return;
        BreakAfter = left - 1;
        if (left > 0) return;
        BreakAfter = null;
        throw new FaultException(new Fault(Cause.ConnectionLost, "a", "the connection was lost"), Verdict.Close);
    }

    public FolderCursor CursorOf(MemoryFolder folder) => new(folder.Epoch, folder.Next, KeepsMarks ? folder.Mark : null, (uint)folder.Messages.Count);
}

/// <summary>The port's twin in memory: the same promises, no wire.</summary>
internal sealed class MemoryAccount(MemoryMail mail) : IMailAccount
{
    public AccountTraits Traits { get; } = new('/', null) { NamesMessages = mail.NamesMessages };

    public Task<Core.Surveying.Room?> ReadRoomAsync(CancellationToken cancel) => Task.FromResult(mail.Room);

    public Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => Task.FromResult<bool?>(mail.KeepsKeywords);

    public Task<IReadOnlyList<Core.Surveying.LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel) => Task.FromResult<IReadOnlyList<Core.Surveying.LackingRight>>([]);

    public Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel)
    {
        mail.Call("list");
        return Task.FromResult<IReadOnlyList<FolderState>>([.. mail.Folders.Select(f => new FolderState(f.Key, mail.Uses.GetValueOrDefault(f.Key), true, true, mail.CursorOf(f.Value)))]);
    }

    public Task<FolderCursor> CreateFolderAsync(FolderPath path, SpecialUse use, bool subscribe, CancellationToken cancel)
    {
        mail.Call("create");
        return Task.FromResult(mail.CursorOf(mail.Folder(path.ToString())));
    }

    public Task<NumberSet> ListNumbersAsync(FolderPath path, CancellationToken cancel)
    {
        mail.Call("numbers");
        return Task.FromResult(new NumberSet(mail.Folders[path].Messages.Select(m => m.Number)));
    }

    public Task<IReadOnlyList<NumberSet?>> ListManyAsync(IReadOnlyList<FolderPath> paths, CancellationToken cancel)
    {
        mail.Call("numbers");
        return Task.FromResult<IReadOnlyList<NumberSet?>>([.. paths.Select(p => mail.Folders.TryGetValue(p, out var folder) ? new NumberSet(folder.Messages.Select(m => m.Number)) : null)]);
    }

    public Task<IReadOnlyList<ItemInfo>> ListItemsAsync(FolderPath path, NumberSet numbers, IDictionary<uint, Fault> unreadable, CancellationToken cancel)
    {
        mail.Call("items");
        return Task.FromResult<IReadOnlyList<ItemInfo>>([.. Chosen(path, numbers).Where(m => !mail.Hidden.Contains(m.Number)).Select(m => new ItemInfo(m.Number, m.Octets.Length, m.Received, m.Flags))]);
    }

    public Task ReadHeadersAsync(FolderPath path, NumberSet numbers, Action<ItemHeader> take, CancellationToken cancel)
    {
        mail.Call("headers");
        foreach (var message in Chosen(path, numbers)) take(new ItemHeader(message.Number, message.Octets.Length, HeaderOf(message.Octets)));
        return Task.CompletedTask;
    }

    public Task ReadNamesAsync(FolderPath path, NumberSet numbers, Action<uint, string> take, CancellationToken cancel)
    {
        mail.Call("names");
        foreach (var message in Chosen(path, numbers)) take(message.Number, Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(message.Octets)));
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<FolderChange?>> ReadChangesAsync(IReadOnlyList<ChangeQuery> folders, CancellationToken cancel)
    {
        mail.Call("changes");
        return Task.FromResult<IReadOnlyList<FolderChange?>>([.. folders.Select(f =>
        {
            var folder = mail.Folders[f.Path];
            if (folder.Epoch != f.Since.Epoch) return null;
            var present = new NumberSet(folder.Messages.Select(m => m.Number));
            var changed = folder.Messages.Where(m => m.Number < f.Since.Next && !(mail.KeepsMarks && m.Mark <= f.Since.Mark)).Select(m => new FlagUpdate(m.Number, m.Flags)).ToList();
            var items = folder.Messages.Where(m => m.Number >= f.Since.Next && !mail.Hidden.Contains(m.Number)).Select(m => new ItemInfo(m.Number, m.Octets.Length, m.Received, m.Flags)).ToList();
            return new FolderChange((uint)folder.Messages.Count, null, present, changed, present.From(f.Since.Next), items, null);
        })]);
    }

    public Task<IMessageReader> ReadMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        mail.Call("read");
        return Task.FromResult<IMessageReader>(new Reader(mail, new Queue<MemoryMessage>(Chosen(path, numbers))));
    }

    public Task<IMessageWriter> AddMessagesAsync(FolderPath path, int company, CancellationToken cancel) => Task.FromResult<IMessageWriter>(new Writer(mail, mail.Folders[path], company));

    public Task ChangeFlagsAsync(FolderPath path, NumberSet numbers, FlagSet add, FlagSet remove, CancellationToken cancel)
    {
        mail.Call("change");
        foreach (var message in Chosen(path, numbers).ToList())
            mail.Folders[path].SetFlags(message.Number, FlagSet.Of(message.Flags.Except(remove).Flags.Concat(add.Flags)));
        return Task.CompletedTask;
    }

    public Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(FolderPath path, NumberSet numbers, FolderPath to, CancellationToken cancel)
    {
        if (!mail.TellsWhere) return Task.FromResult<IReadOnlyDictionary<uint, uint>?>(null);
        if (!mail.AnswersAreLost) mail.Call("move");
        var places = new Dictionary<uint, uint>();
        foreach (var message in Chosen(path, numbers).ToList())
        {
            mail.Folders[path].Remove(message.Number);
            places[message.Number] = mail.Folders[to].Add(message.Octets, message.Flags, message.Received);
        }
        if (mail.AnswersAreLost) mail.Call("move");
        return Task.FromResult<IReadOnlyDictionary<uint, uint>?>(places);
    }

    public Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        mail.Call("remove");
        foreach (var message in Chosen(path, numbers).ToList()) mail.Folders[path].Remove(message.Number);
        return Task.FromResult(true);
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;

    private IEnumerable<MemoryMessage> Chosen(FolderPath path, NumberSet numbers) => mail.Folders[path].Messages.Where(m => numbers.Contains(m.Number));

    private static byte[] HeaderOf(byte[] octets)
    {
        var text = Encoding.Latin1.GetString(octets);
        var end = text.IndexOf("\r\n\r\n", StringComparison.Ordinal);
        return Encoding.Latin1.GetBytes(end < 0 ? text : text[..(end + 2)]);
    }

    private sealed class Reader(MemoryMail mail, Queue<MemoryMessage> left) : IMessageReader
    {
        private byte[] _current = [];

        public IReadOnlyCollection<uint> Gone => [];

        public IReadOnlyDictionary<uint, Fault> Unreadable => new Dictionary<uint, Fault>();

        public ValueTask<(uint Number, long Size)?> NextAsync(CancellationToken cancel)
        {
            if (!left.TryDequeue(out var message)) return ValueTask.FromResult<(uint, long)?>(null);
            mail.Call("next");
            _current = message.Octets;
            return ValueTask.FromResult<(uint, long)?>((message.Number, message.Octets.Length));
        }

        public ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel)
        {
            var piece = _current.AsMemory(0, Math.Min(7, _current.Length));
            _current = _current[piece.Length..];
            return ValueTask.FromResult<ReadOnlyMemory<byte>>(piece);
        }
    }

    private sealed class Writer(MemoryMail mail, MemoryFolder folder, int company) : IMessageWriter
    {
        private readonly List<(ItemInfo Item, MemoryStream Octets)> _batch = [];

        public ValueTask BeginAsync(ItemInfo item, long size, ReadOnlyMemory<byte> first, CancellationToken cancel)
        {
            _batch.Add((item, new MemoryStream()));
            _batch[^1].Octets.Write(first.Span);
            return ValueTask.CompletedTask;
        }

        public ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel)
        {
            _batch[^1].Octets.Write(piece.Span);
            return ValueTask.CompletedTask;
        }

        public ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel) => _batch.Count >= company ? FinishAsync(cancel) : ValueTask.FromResult<IReadOnlyList<AddReceipt>>([]);

        public ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel)
        {
            if (_batch.Count == 0) return ValueTask.FromResult<IReadOnlyList<AddReceipt>>([]);
            var batch = _batch.ToList();
            _batch.Clear();
            if (!mail.AnswersAreLost) mail.Call("append");
            // All or nothing, as MULTIAPPEND is.
            var unborne = batch.Exists(b => b.Item.Flags.Flags.Any(f => f[0] != '\\' && !mail.BearsKeyword(f))) ? new Fault(Cause.MessageRefused, "b", "keyword", "LIMIT") : null;
            if (batch.Select(b => mail.Refuses(b.Octets.ToArray())).FirstOrDefault(f => f is not null, unborne) is { } refused)
                return ValueTask.FromResult<IReadOnlyList<AddReceipt>>([.. batch.Select(b => new AddReceipt(b.Item.Number, null, refused, batch.Count))]);
            var receipts = batch.Select(b => new AddReceipt(
                b.Item.Number, new ItemKey(folder.Epoch, folder.Add(b.Octets.ToArray(), b.Item.Flags, b.Item.Received)), null, batch.Count)).ToList();
            if (mail.AnswersAreLost) mail.Call("append");
            return ValueTask.FromResult<IReadOnlyList<AddReceipt>>(mail.TellsWhere ? receipts : [.. receipts.Select(r => r with { Landed = null })]);
        }
    }
}
