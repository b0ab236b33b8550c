using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.SignIn;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>One person's mail over IMAP (RFC 9051, RFC 3501), with the extensions that the server has.</summary>
public sealed class ImapMailAccount : IMailAccount
{
    /// <summary>Silence after which a server is given up.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(2);

    /// <summary>Folders whose commands are sent before the first answer is read.</summary>
    private const int FoldersTogether = 50;

    /// <summary>Numbers in one command for short answers.</summary>
    private const int IndexStep = 5_000;

    private readonly ImapConnection _connection;
    private readonly ImapFolders _folders;
    private readonly ImapChanges _changes;
    private readonly ImapMoves _moves;
    private readonly ImapFolderVisits _visits;
    private readonly ImapTraits _traits;
    private readonly Dictionary<string, FlagSet> _flagSets = [];

    private readonly IDisposable? _slot;

    private ImapMailAccount(ImapConnection connection, ImapTraits traits, IDisposable? slot)
    {
        (_connection, _traits, _slot) = (connection, traits, slot);
        _folders = new ImapFolders(connection, traits);
        _changes = new ImapChanges(connection, traits, _folders, _flagSets);
        _moves = new ImapMoves(connection, traits, _folders);
        _visits = new ImapFolderVisits(connection, traits, _folders);
        Traits = new AccountTraits(traits.Separator, traits.LargestMessage) { NamesMessages = traits.Can(ImapCapabilities.ObjectID) };
    }

    public AccountTraits Traits { get; }

    /// <summary>Round trips since the sign-in.</summary>
    public long RoundTrips => _connection.Wire.RoundTrips;

    /// <summary>What the server can do and what that means for a move, for <c>service try</c>.</summary>
    public string Capabilities => ImapAbilities.Describe(_traits);

    /// <param name="tokens">Where access tokens come from.</param>
    /// <param name="step">Told of each step on the way in.</param>
    /// <param name="slot">Given back when the session ends, or does not come about.</param>
    /// <exception cref="FaultException">The fault tells at which step, and why.</exception>
    public static async Task<ImapMailAccount> OpenAsync(
        Service service,
        Credentials who,
        AccessTokens? tokens,
        Action<ConnectStep>? step,
        IDisposable? slot,
        CancellationToken cancel
    )
    {
        try
        {
            return await OpenInSlotAsync(service, who, tokens, step, slot, cancel);
        }
        catch
        {
            slot?.Dispose();
            throw;
        }
    }

    private static async Task<ImapMailAccount> OpenInSlotAsync(
        Service service,
        Credentials who,
        AccessTokens? tokens,
        Action<ConnectStep>? step,
        IDisposable? slot,
        CancellationToken cancel
    )
    {
        var stream = await ImapConnector.ConnectAsync(service, step, cancel);
        try
        {
            var traits = await ImapSignIn.SignInAsync(stream, service, who, tokens, cancel);
            step?.Invoke(new ConnectStep("sign in", $"as {who.Login}"));
            return new ImapMailAccount(
                new ImapConnection(new LineConnection(stream, who.Account, s_patience) { Service = service.Name }, traits),
                traits,
                slot
            );
        }
        catch
        {
            await stream.DisposeAsync();
            throw;
        }
    }

    public Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel) => _folders.ListAsync(cancel);

    public Task<IReadOnlyList<MadeFolder>> CreateFoldersAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel) =>
        _folders.CreateAsync(folders, cancel);

    public Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel) =>
        _visits.VisitAsync(visits, cancel);

    public async Task<IReadOnlyList<ItemInfo>> ListItemsAsync(
        FolderPath path,
        NumberSet numbers,
        IDictionary<uint, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var items = new Dictionary<uint, ItemInfo>();
        var broken = new HashSet<uint>();
        await FetchAsync(
            path,
            numbers,
            FetchVerb.Index,
            row =>
            {
                if (row.Item is { } item && numbers.Contains(item.Number))
                    items[item.Number] = item;
                // An unasked-for FETCH tells flags alone (RFC 9051 §7.5.2): only what stays incomplete is at fault.
                else if (row.Uid is { } uid && numbers.Contains(uid))
                    broken.Add(uid);
            },
            unreadable,
            cancel
        );
        foreach (var number in broken.Where(n => !items.ContainsKey(n)))
            unreadable.TryAdd(
                number,
                new Fault(Cause.MessageUnreadable, _connection.Wire.Whom, "the old side does not tell this message's size, date or flags")
            );
        return [.. items.Values];
    }

    public async Task ReadHeadersAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Action<int, ItemHeader> take,
        CancellationToken cancel,
        HeaderLines lines = HeaderLines.Identity
    )
    {
        var items = lines is HeaderLines.Identity ? FetchVerb.Identity : FetchVerb.Addresses;
        void Take(int folder, FetchRow row)
        {
            if (row is { Uid: { } uid, Size: { } size, Header: { } header })
                take(folder, new ItemHeader(uid, size, header));
        }
        var left = new Queue<int>(Enumerable.Range(0, folders.Count).Where(f => folders[f].Numbers.Count > 0));
        while (left.Count > 0)
        {
            var some = new List<int>();
            for (
                var sum = 0L;
                left.TryPeek(out var next)
                    && (some.Count == 0 || (sum + folders[next].Numbers.Count <= IndexStep && some.Count < FoldersTogether));
                sum += folders[next].Numbers.Count
            )
                some.Add(left.Dequeue());
            if (some.Count > 1)
                some = await FetchTogetherAsync(some, folders, items, Take, cancel);
            foreach (var folder in some)
                await FetchAsync(
                    folders[folder].Path,
                    folders[folder].Numbers,
                    items,
                    row => Take(folder, row),
                    new Dictionary<uint, Fault>(),
                    cancel
                );
        }
    }

    /// <summary>
    /// A FETCH from each of several folders, all under way at once. Returns the folders that have to be asked by themselves.
    /// </summary>
    private async Task<List<int>> FetchTogetherAsync(
        List<int> some,
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        string items,
        Action<int, FetchRow> take,
        CancellationToken cancel
    )
    {
        var asked = new List<(int Folder, FolderOpening Opening, string Tag)>();
        foreach (var folder in some)
            asked.Add(
                (
                    folder,
                    await _folders.PutOpenAsync(folders[folder].Path, writable: false, cancel),
                    await _connection.PutAsync(FetchVerb.Of(folders[folder].Numbers, items), cancel)
                )
            );
        var again = new List<int>();
        foreach (var (folder, opening, tag) in asked)
        {
            var opened = await _folders.FinishOpenAsync(opening, null, cancel);
            var result = await _connection.AnswerAsync(
                tag,
                r =>
                {
                    if (FetchRow.Read(r, _flagSets) is { } row)
                        take(folder, row);
                },
                cancel
            );
            if (!opened || !result.IsOk)
                again.Add(folder);
        }
        return again;
    }

    public Task<NumberSet> ListNumbersSinceAsync(FolderPath path, DateTimeOffset since, CancellationToken cancel) =>
        _visits.ListSinceAsync(path, since, cancel);

    public Task<IReadOnlyList<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IReadOnlyList<FolderPath> folders,
        string messageId,
        CancellationToken cancel
    ) => _visits.FindAsync(folders, messageId, cancel);

    public Task ReadNamesAsync(FolderPath path, NumberSet numbers, Action<uint, string> take, CancellationToken cancel) =>
        FetchAsync(
            path,
            numbers,
            FetchVerb.EmailId,
            row =>
            {
                if (row is { Uid: { } uid, Name: { } name })
                    take(uid, name);
            },
            new Dictionary<uint, Fault>(),
            cancel
        );

    public Task<bool> RemoveFolderAsync(FolderPath path, CancellationToken cancel) => _folders.RemoveEmptyAsync(path, cancel);

    public Task UnsubscribeAsync(FolderPath path, CancellationToken cancel) => _folders.UnsubscribeAsync(path, cancel);

    public Task<IReadOnlyList<FolderChange?>> ReadChangesAsync(IReadOnlyList<ChangeQuery> folders, CancellationToken cancel) =>
        _changes.ReadAsync(folders, cancel);

    public Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(
        FolderPath path,
        NumberSet numbers,
        FolderPath to,
        CancellationToken cancel
    ) => _moves.MoveAsync(path, numbers, to, cancel);

    public Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel) =>
        _moves.RemoveAsync(path, numbers, cancel);

    public Task<IMessageReader> ReadMessagesAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        CancellationToken cancel,
        bool withIndex = false
    ) => Task.FromResult<IMessageReader>(new ImapMessageReader(_connection, _folders, folders, withIndex ? _flagSets : null));

    public async Task<IMessageWriter> AddMessagesAsync(IReadOnlyList<FolderPath> folders, int batchSize, CancellationToken cancel) =>
        new ImapMessageWriter(
            _connection,
            _traits,
            [.. folders.Select(f => (_folders.Quoted(f), f))],
            batchSize,
            await _folders.PutReadyAsync(folders, cancel)
        );

    public Task<Core.Surveying.Room?> ReadRoomAsync(CancellationToken cancel) => _folders.ReadRoomAsync(cancel);

    public Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => _folders.ReadKeepsKeywordsAsync(cancel);

    public Task<IReadOnlyList<Core.Surveying.LackingRight>> ReadLackingRightsAsync(
        IReadOnlyList<FolderState> folders,
        CancellationToken cancel
    ) => _folders.ReadLackingRightsAsync(folders, cancel);

    /// <summary>
    /// Makes a folder, adds a message to it, and takes both away again. What of it was left on the server is said in the fault.
    /// </summary>
    public async Task<string> TryWritingAsync(CancellationToken cancel)
    {
        var path = FolderPath.Of($"Caravan try {Guid.NewGuid():N}"[..20]);
        var name = _folders.Quoted(path);
        await _connection.MustAsync(
            CreateVerb.Of(name, SpecialUse.None, _traits),
            null,
            "no folder can be made",
            Cause.FolderRefused,
            cancel
        );
        Fault? refused = null;
        try
        {
            var writer = await AddMessagesAsync([path], 1, cancel);
            ReadOnlyMemory<byte> message = (byte[])
                [
                    .. "From: caravan@localhost\r\nSubject: Write test, may be deleted\r\n\r\n"u8,
                    .. "This shows that messages can be added.\r\n"u8,
                ];
            await writer.BeginAsync(
                0,
                new ItemInfo(1, new ByteCount(message.Length), DateTimeOffset.UnixEpoch, FlagSet.Empty),
                new ByteCount(message.Length),
                message,
                cancel
            );
            var receipts = (await writer.EndAsync(cancel)).Concat(await writer.FinishAsync(cancel)).ToList();
            refused = receipts.FirstOrDefault(r => r.Refused is not null).Refused;
        }
        finally
        {
            if (!_connection.Wire.IsBroken && !_connection.IsMidCommand)
                await _connection.MustAsync(
                    DeleteVerb.Of(name),
                    null,
                    $"the test folder '{path}' cannot be deleted again and is still there",
                    Cause.NotPermitted,
                    CancellationToken.None
                );
        }
        return refused is null
            ? "a folder was made, a message added, and both deleted again"
            : throw new FaultException(refused with { Cause = Cause.NotPermitted }, Verdict.Keep);
    }

    public async ValueTask DisposeAsync()
    {
        var wire = _connection.Wire;
        if (!wire.IsBroken && !_connection.IsMidCommand)
        {
            try
            {
                // A courtesy: the server closes, and nobody waits for it.
                await _connection.PutAsync(LogoutVerb.Command, CancellationToken.None);
                await wire.FlushAsync(CancellationToken.None);
            }
            catch (FaultException)
            {
                // The connection was already lost.
            }
        }
        await wire.DisposeAsync();
        _slot?.Dispose();
    }

    /// <summary>
    /// Fetches rows. If the server refuses a command, its messages are split in two and asked for again, down to the single one that it
    /// refuses.
    /// </summary>
    private async Task FetchAsync(
        FolderPath path,
        NumberSet numbers,
        string items,
        Action<FetchRow> take,
        IDictionary<uint, Fault> refused,
        CancellationToken cancel
    )
    {
        if (numbers.Count == 0)
            return;
        await _folders.OpenAsync(path, writable: false, anew: false, cancel);
        var left = new Queue<NumberSet>(ImapSyntax.Lines(numbers, IndexStep));
        var underWay = new Queue<(string Tag, NumberSet Line)>();
        while (underWay.Count > 0 || left.Count > 0)
        {
            // Two under way at a time: the server works on one while the answers to the other are read.
            while (underWay.Count < 2 && left.TryDequeue(out var line))
                underWay.Enqueue((await _connection.PutAsync(FetchVerb.Of(line, items), cancel), line));
            var (tag, asked) = underWay.Dequeue();
            var result = await _connection.AnswerAsync(
                tag,
                r =>
                {
                    if (FetchRow.Read(r, _flagSets) is { } row)
                        take(row);
                },
                cancel
            );
            if (result.IsOk)
                continue;
            var fault = ImapCauses.Refused(result, _connection.Wire, $"the index of '{path}' was refused", Cause.MessageUnreadable);
            if (fault.Action is not FaultAction.SkipItem)
                throw new FaultException(fault, Verdict.Keep);
            if (asked.Count == 1)
                refused[asked.First()] = fault;
            else
                foreach (var half in asked.Slices((int)(asked.Count + 1) / 2))
                    left.Enqueue(half);
        }
    }
}
