using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;

namespace EasyCaravan.Protocols.Files;

/// <summary>
/// Mail that lies in files of this machine. Reading is the same for all forms of files; those that can be written to override the rest.
/// </summary>
internal abstract class LocalMailAccount : IMailAccount
{
    /// <summary>Octets of a header that are kept; the fields that identify a message come much earlier.</summary>
    private const int LongestHeader = 4 * 1024 * 1024;

    /// <summary>Names may hold any character: this one is in none.</summary>
    public AccountTraits Traits { get; } = new('\0', null);

    public virtual IReadOnlyList<MailRemark> Remarks => [];

    /// <summary>For what is said of faults.</summary>
    protected abstract string Account { get; }

    /// <summary>With their messages, where <paramref name="withItems"/>.</summary>
    protected abstract IReadOnlyList<LocalFolder> Folders(bool withItems);

    /// <summary>Called before messages of these folders are asked for.</summary>
    protected virtual ValueTask PrepareAsync(IEnumerable<FolderPath> paths, CancellationToken cancel) => ValueTask.CompletedTask;

    /// <summary>Runs something that touches files; what goes wrong with them is a fault of the account.</summary>
    protected abstract T Do<T>(Func<T> work);

    public Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel) =>
        Task.FromResult(
            Do<IReadOnlyList<FolderState>>(() =>
                [.. Folders(withItems: false).Select(f => new FolderState(f.Path, f.Use, true, f.IsSubscribed, f.Cursor))]
            )
        );

    public virtual async Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel)
    {
        if (visits.Any(v => v.Subscribe || v.Flags.Count > 0))
            throw OnlyRead();
        await PrepareAsync(visits.Where(v => v.List).Select(v => v.Path), cancel);
        return [.. visits.Select(v => Do(() => Visit(v)))];
    }

    protected FolderSeen Visit(FolderVisit visit)
    {
        var folder = Find(visit.Path);
        var refused = folder is null ? NoFolder(visit.Path) : folder.Refused;
        return new FolderSeen(
            visit.List && refused is null ? new NumberSet(folder!.Items().Select(i => i.Number)) : null,
            refused,
            [.. visit.Flags.Select(_ => refused)]
        );
    }

    public async Task<IReadOnlyList<ItemInfo>> ListItemsAsync(
        FolderPath path,
        NumberSet numbers,
        IDictionary<uint, Fault> unreadable,
        CancellationToken cancel
    )
    {
        if (numbers.Count == 0)
            return [];
        await PrepareAsync([path], cancel);
        return Do<IReadOnlyList<ItemInfo>>(() =>
        {
            var folder = FolderOf(path);
            return [.. numbers.Select(folder.Find).OfType<ItemInfo>()];
        });
    }

    public async Task ReadHeadersAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Action<int, ItemHeader> take,
        CancellationToken cancel,
        HeaderLines lines = HeaderLines.Identity
    )
    {
        await PrepareAsync(folders.Where(f => f.Numbers.Count > 0).Select(f => f.Path), cancel);
        for (var i = 0; i < folders.Count; i++)
        {
            if (folders[i].Numbers.Count == 0)
                continue;
            var folder = Do(() => FolderOf(folders[i].Path));
            foreach (var number in folders[i].Numbers)
            {
                cancel.ThrowIfCancellationRequested();
                if (ReadHeader(folder, number) is { } header)
                    take(i, header);
            }
        }
    }

    /// <summary>Null: it is not there, or cannot be read.</summary>
    private ItemHeader? ReadHeader(LocalFolder folder, uint number) =>
        Do(() =>
        {
            if (folder.Find(number) is not { } item)
                return null;
            using var octets = folder.Open(number).Octets;
            return new ItemHeader(number, item.Size, HeaderOf(octets));
        });

    /// <summary>Up to the empty line that ends a header (RFC 5322 §2.1).</summary>
    private static byte[] HeaderOf(Stream octets)
    {
        var header = new MemoryStream();
        var buffer = new byte[8 * 1024];
        var newlines = 1;
        int read;
        while (newlines < 2 && header.Length < LongestHeader && (read = octets.Read(buffer)) > 0)
        {
            var length = 0;
            for (; length < read && newlines < 2; length++)
                if (buffer[length] != '\r')
                    newlines = buffer[length] == '\n' ? newlines + 1 : 0;
            header.Write(buffer, 0, length);
        }
        return header.ToArray();
    }

    public async Task<NumberSet> ListNumbersSinceAsync(FolderPath path, DateTimeOffset since, CancellationToken cancel)
    {
        await PrepareAsync([path], cancel);
        return Do(() => new NumberSet(FolderOf(path).Items().Where(i => i.Received >= since).Select(i => i.Number)));
    }

    public async Task<IReadOnlyList<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IReadOnlyList<FolderPath> folders,
        string messageId,
        CancellationToken cancel
    )
    {
        await PrepareAsync(folders, cancel);
        var found = new List<(FolderPath, NumberSet)>();
        foreach (var folder in Do(() => folders.Select(Find).OfType<LocalFolder>().Where(f => f.Refused is null).ToList()))
        {
            var numbers = new NumberSet();
            foreach (var item in Do(() => folder.Items().ToList()))
            {
                cancel.ThrowIfCancellationRequested();
                if (ReadHeader(folder, item.Number) is { } header && HasId(header.Header, messageId))
                    numbers.Add(item.Number);
            }
            if (numbers.Count > 0)
                found.Add((folder.Path, numbers));
        }
        return found;
    }

    private static bool HasId(byte[] header, string messageId)
    {
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
            if (System.Text.Ascii.EqualsIgnoreCase(name, "message-id"u8))
                return HeaderFields.Unfold(value).Contains($"<{messageId}>", StringComparison.Ordinal);
        return false;
    }

    public Task ReadNamesAsync(FolderPath path, NumberSet numbers, Action<uint, string> take, CancellationToken cancel) =>
        Task.CompletedTask;

    /// <summary>The index lies on this machine: all of it is told, rather than that a history of changes is kept.</summary>
    public async Task<IReadOnlyList<FolderChange?>> ReadChangesAsync(IReadOnlyList<ChangeQuery> folders, CancellationToken cancel)
    {
        await PrepareAsync(folders.Select(q => q.Path), cancel);
        return [.. folders.Select(q => Do(() => ChangeOf(q)))];
    }

    private FolderChange? ChangeOf(ChangeQuery query)
    {
        if (Find(query.Path) is not { Refused: null } folder || folder.Cursor.Epoch != query.Since.Epoch)
            return null;
        var (present, fresh) = (new NumberSet(), new NumberSet());
        var (flags, items) = (new List<FlagUpdate>(), new List<ItemInfo>());
        foreach (var item in folder.Items())
            if (item.Number < query.Since.Next)
            {
                present.Add(item.Number);
                flags.Add(new FlagUpdate(item.Number, item.Flags));
            }
            else
            {
                fresh.Add(item.Number);
                items.Add(item);
            }
        return new FolderChange((uint)(present.Count + fresh.Count), null, present, flags, fresh, items, null);
    }

    public async Task<IMessageReader> ReadMessagesAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        CancellationToken cancel,
        bool withIndex = false
    )
    {
        await PrepareAsync(folders.Where(f => f.Numbers.Count > 0).Select(f => f.Path), cancel);
        var all = folders.Select(f => (Folder: f.Numbers.Count == 0 ? null : Do(() => FolderOf(f.Path)), f.Numbers)).ToList();
        return new LocalMessageReader(all, Account, withIndex);
    }

    public virtual Task<Room?> ReadRoomAsync(CancellationToken cancel) => Task.FromResult<Room?>(null);

    public virtual Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => Task.FromResult<bool?>(null);

    public Task<IReadOnlyList<LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LackingRight>>([]);

    public virtual Task<IReadOnlyList<MadeFolder>> CreateFoldersAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel) =>
        throw OnlyRead();

    public virtual Task<bool> RemoveFolderAsync(FolderPath path, CancellationToken cancel) => throw OnlyRead();

    public virtual Task UnsubscribeAsync(FolderPath path, CancellationToken cancel) => throw OnlyRead();

    public virtual Task<IMessageWriter> AddMessagesAsync(IReadOnlyList<FolderPath> folders, int batchSize, CancellationToken cancel) =>
        throw OnlyRead();

    public virtual Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(
        FolderPath path,
        NumberSet numbers,
        FolderPath to,
        CancellationToken cancel
    ) => throw OnlyRead();

    public virtual Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel) => throw OnlyRead();

    public abstract ValueTask DisposeAsync();

    protected LocalFolder? Find(FolderPath path) => Folders(withItems: true).FirstOrDefault(f => f.Path.Equals(path));

    /// <exception cref="FaultException">It is not there, or cannot be read.</exception>
    protected LocalFolder FolderOf(FolderPath path) =>
        Find(path) is not { } folder ? throw new FaultException(NoFolder(path), Verdict.Keep)
        : folder.Refused is { } refused ? throw new FaultException(refused, Verdict.Keep)
        : folder;

    private Fault NoFolder(FolderPath path) => new(Cause.FolderRefused, Account, $"there is no folder '{path}'");

    /// <summary>A plan in which such files are a to side is refused before anything is opened.</summary>
    private static InvalidOperationException OnlyRead() => new("These files are only read.");
}
