using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.SignIn;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>One person's mail over IMAP (RFC 9051, RFC 3501), with the extensions that the server has.</summary>
public sealed class ImapMailAccount : IMailAccount
{
    /// <summary>Silence after which a server is given up.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(2);

    /// <summary>Numbers in one command for short answers.</summary>
    private const int IndexStep = 5_000;

    private readonly ImapConnection _connection;
    private readonly ImapFolders _folders;
    private readonly ImapTraits _traits;
    private readonly Dictionary<string, FlagSet> _flagSets = [];

    private readonly IDisposable? _slot;

    private ImapMailAccount(ImapConnection connection, ImapTraits traits, IDisposable? slot)
    {
        (_connection, _traits, _slot) = (connection, traits, slot);
        _folders = new ImapFolders(connection, traits);
        Traits = new AccountTraits(traits.Separator, traits.LargestMessage);
    }

    public AccountTraits Traits { get; }

    /// <summary>What the server can do and what that means for a move, for <c>service try</c>.</summary>
    public string Capabilities => ImapAbilities.Describe(_traits);

    /// <param name="tokens">Where access tokens come from.</param>
    /// <param name="step">Told of each step on the way in.</param>
    /// <param name="slot">Given back when the session ends, or does not come about.</param>
    /// <exception cref="FaultException">The fault tells at which step, and why.</exception>
    public static async Task<ImapMailAccount> OpenAsync(Service service, Credentials who, AccessTokens? tokens, Action<ConnectStep>? step, IDisposable? slot, CancellationToken cancel)
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

    private static async Task<ImapMailAccount> OpenInSlotAsync(Service service, Credentials who, AccessTokens? tokens, Action<ConnectStep>? step, IDisposable? slot, CancellationToken cancel)
    {
        var stream = await ImapConnector.ConnectAsync(service, step, cancel);
        try
        {
            var traits = await ImapSignIn.SignInAsync(stream, service, who, tokens, cancel);
            step?.Invoke(new ConnectStep("sign in", $"as {who.Login}"));
            return new ImapMailAccount(new ImapConnection(new ImapWire(stream, who.Account, s_patience)), traits, slot);
        }
        catch
        {
            await stream.DisposeAsync();
            throw;
        }
    }

    public Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel) => _folders.ListAsync(cancel);

    public Task<FolderCursor> CreateFolderAsync(FolderPath path, SpecialUse use, bool subscribe, CancellationToken cancel) =>
        _folders.CreateAsync(path, use, subscribe, cancel);

    public async Task<NumberSet> ListNumbersAsync(FolderPath path, CancellationToken cancel)
    {
        await _folders.OpenAsync(path, writable: false, anew: true, cancel);
        var numbers = new List<uint>();
        NumberSet? compact = null;
        // ESEARCH (RFC 4731) answers with ranges: a few octets for a full folder.
        var search = _traits.Can(ImapCapabilities.ESearch) ? "UID SEARCH RETURN (ALL) ALL" : "UID SEARCH ALL";
        await _connection.MustAsync(search, r => compact = ReadSearch(r, numbers) ?? compact, $"the messages of '{path}' cannot be listed", Cause.NotPermitted, cancel);
        return compact ?? new NumberSet(numbers);
    }

    public async Task<IReadOnlyList<ItemInfo>> ListItemsAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        var items = new List<ItemInfo>();
        await FetchAsync(path, numbers, "(UID RFC822.SIZE INTERNALDATE FLAGS)", "", row =>
        {
            if (row is { Number: { } number, Size: { } size, Received: { } received, Flags: { } flags }) items.Add(new ItemInfo(number, size, received, flags));
        }, cancel);
        return items;
    }

    public async Task<IReadOnlyList<ItemHeader>> ReadHeadersAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        var headers = new List<ItemHeader>();
        await FetchAsync(path, numbers, "(UID RFC822.SIZE BODY.PEEK[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)])", "", row =>
        {
            if (row is { Number: { } number, Size: { } size, Header: { } header }) headers.Add(new ItemHeader(number, size, header));
        }, cancel);
        return headers;
    }

    public async Task<IReadOnlyList<FlagUpdate>> FlagsSinceAsync(FolderPath path, FolderCursor since, CancellationToken cancel)
    {
        if (since.Next <= 1) return [];
        var updates = new List<FlagUpdate>();
        var numbers = new NumberSet();
        numbers.Add(1, since.Next - 1);
        // RFC 7162 §3.1.4.1: only what changed, told by the mark.
        var changed = since.Mark is { } mark && _traits.Can(ImapCapabilities.CondStore | ImapCapabilities.QuickResync) ? $" (CHANGEDSINCE {mark})" : "";
        await FetchAsync(path, numbers, "(UID FLAGS)", changed, row =>
        {
            if (row is { Number: { } number, Flags: { } flags } && number < since.Next) updates.Add(new FlagUpdate(number, flags));
        }, cancel);
        return updates;
    }

    public async Task<IMessageReader> ReadMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        await _folders.OpenAsync(path, writable: false, anew: false, cancel);
        return new ImapMessageReader(_connection, numbers);
    }

    public Task<IMessageWriter> AddMessagesAsync(FolderPath path, int company, CancellationToken cancel) =>
        Task.FromResult<IMessageWriter>(new ImapMessageWriter(_connection, _traits, _folders.Quoted(path), path, company));

    public Task<Core.Surveying.Room?> ReadRoomAsync(CancellationToken cancel) => _folders.ReadRoomAsync(cancel);

    public Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => _folders.ReadKeepsKeywordsAsync(cancel);

    public Task<IReadOnlyList<Core.Surveying.LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel) => _folders.ReadLackingRightsAsync(folders, cancel);

    /// <summary>Makes a folder, adds a message to it, and takes both away again. What of it was left on the server is said in the fault.</summary>
    public async Task<string> TryWritingAsync(CancellationToken cancel)
    {
        var path = FolderPath.Of($"Caravan try {Guid.NewGuid():N}"[..20]);
        var name = _folders.Quoted(path);
        await _connection.MustAsync($"CREATE {name}", null, "no folder can be made", Cause.FolderRefused, cancel);
        Fault? refused = null;
        try
        {
            var writer = await AddMessagesAsync(path, 1, cancel);
            var message = "From: caravan@localhost\r\nSubject: Write test, may be deleted\r\n\r\nThis shows that messages can be added.\r\n"u8.ToArray();
            await writer.BeginAsync(new ItemInfo(1, message.Length, DateTimeOffset.UnixEpoch, FlagSet.Empty), message.Length, cancel);
            await writer.WriteAsync(message, cancel);
            var receipts = (await writer.EndAsync(cancel)).Concat(await writer.FinishAsync(cancel)).ToList();
            refused = receipts.FirstOrDefault(r => r.Refused is not null).Refused;
        }
        finally
        {
            if (!_connection.Wire.IsBroken && !_connection.IsMidCommand)
                await _connection.MustAsync($"DELETE {name}", null, $"the test folder '{path}' cannot be deleted again and is still there", Cause.NotPermitted, CancellationToken.None);
        }
        return refused is null ? "a folder was made, a message added, and both deleted again" : throw new FaultException(refused with { Cause = Cause.NotPermitted }, Verdict.Keep);
    }

    public async Task ChangeFlagsAsync(FolderPath path, NumberSet numbers, FlagSet add, FlagSet remove, CancellationToken cancel)
    {
        await _folders.OpenAsync(path, writable: true, anew: false, cancel);
        foreach (var line in ImapWords.Lines(numbers, IndexStep))
        {
            foreach (var (sign, flags) in new[] { ('+', add), ('-', remove) })
            {
                if (flags.Flags.Length == 0) continue;
                await _connection.MustAsync($"UID STORE {line} {sign}FLAGS.SILENT ({flags.Written})", null, $"the flags of messages in '{path}' cannot be changed", Cause.NotPermitted, cancel);
            }
        }
    }

    public async ValueTask DisposeAsync()
    {
        var wire = _connection.Wire;
        if (!wire.IsBroken && !_connection.IsMidCommand)
        {
            try
            {
                // A courtesy: the server closes, and nobody waits for it.
                await _connection.PutAsync("LOGOUT", CancellationToken.None);
                await wire.FlushAsync(CancellationToken.None);
            }
            catch (FaultException)
            {
                // It was gone already.
            }
        }
        await wire.DisposeAsync();
        _slot?.Dispose();
    }

    private async Task FetchAsync(FolderPath path, NumberSet numbers, string items, string modifier, Action<FetchRow> take, CancellationToken cancel)
    {
        if (numbers.Count == 0) return;
        await _folders.OpenAsync(path, writable: false, anew: false, cancel);
        var tags = new Queue<string>();
        var step = modifier.Length > 0 ? int.MaxValue : IndexStep;
        foreach (var line in ImapWords.Lines(numbers, step))
        {
            // Two under way at a time: the server works on one while the answers to the other are read.
            if (tags.Count == 2) await AnswerFetchAsync(tags.Dequeue(), path, take, cancel);
            tags.Enqueue(await _connection.PutAsync($"UID FETCH {line} {items}{modifier}", cancel));
        }
        while (tags.TryDequeue(out var tag)) await AnswerFetchAsync(tag, path, take, cancel);
    }

    private async Task AnswerFetchAsync(string tag, FolderPath path, Action<FetchRow> take, CancellationToken cancel)
    {
        var result = await _connection.AnswerAsync(tag, r => { if (FetchRow.Read(r, _flagSets) is { } row) take(row); }, cancel);
        if (!result.IsOk) throw new FaultException(ImapCauses.Refused(result, _connection.Wire.Whom, $"the index of '{path}' was refused", Cause.NotPermitted), Verdict.Keep);
    }

    /// <summary>The ranges of an ESEARCH answer, or null while the numbers of a SEARCH answer are added to the list.</summary>
    private static NumberSet? ReadSearch(ImapResponse response, List<uint> numbers)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (tokens.TryWord("SEARCH"u8))
        {
            tokens.SkipSpaces();
            while (!tokens.AtEnd && tokens.Rest[0] != '(')
            {
                numbers.Add(tokens.Number32());
                tokens.SkipSpaces();
            }
            return null;
        }
        if (!tokens.TryWord("ESEARCH"u8)) return null;
        tokens.SkipSpaces();
        if (!tokens.AtEnd && tokens.Rest[0] == '(') tokens.SkipValue();
        while (!tokens.AtEnd)
        {
            tokens.SkipSpaces();
            if (tokens.TryWord("ALL"u8))
            {
                tokens.SkipSpaces();
                return ImapWords.ReadNumbers(tokens.Atom());
            }
            if (!tokens.AtEnd) tokens.Atom();
        }
        // RFC 4731 §3.1: ALL is left out when nothing matches.
        return new NumberSet();
    }

    /// <summary>What one FETCH response says (RFC 9051 §7.5.2). Items that it leaves out are null.</summary>
    private sealed record FetchRow(uint? Number, long? Size, DateTimeOffset? Received, FlagSet? Flags, byte[]? Header)
    {
        public static FetchRow? Read(ImapResponse response, Dictionary<string, FlagSet> flagSets)
        {
            var tokens = new ImapTokens(response);
            tokens.Take('*');
            tokens.SkipSpaces();
            if (tokens.AtEnd || tokens.Rest[0] is < (byte)'0' or > (byte)'9') return null;
            tokens.Number();
            tokens.SkipSpaces();
            if (!tokens.TryWord("FETCH"u8)) return null;
            tokens.SkipSpaces();
            tokens.Take('(');
            var row = new FetchRow(null, null, null, null, null);
            while (!tokens.TryTake(')'))
            {
                var name = tokens.Atom();
                if (Ascii.EqualsIgnoreCase(name, "UID"u8)) { tokens.SkipSpaces(); row = row with { Number = tokens.Number32() }; }
                else if (Ascii.EqualsIgnoreCase(name, "RFC822.SIZE"u8)) { tokens.SkipSpaces(); row = row with { Size = (long)tokens.Number() }; }
                else if (Ascii.EqualsIgnoreCase(name, "INTERNALDATE"u8)) { tokens.SkipSpaces(); row = row with { Received = ImapWords.ReadDate(tokens.String()) }; }
                else if (Ascii.EqualsIgnoreCase(name, "FLAGS"u8)) { tokens.SkipSpaces(); row = row with { Flags = ReadFlags(ref tokens, flagSets) }; }
                else if (name.StartsWith("BODY["u8)) { tokens.SkipSpaces(); row = row with { Header = tokens.String() ?? [] }; }
                else { tokens.SkipValue(); }
                tokens.SkipSpaces();
            }
            return row;
        }

        /// <summary>Most messages of a mailbox share a few sets of flags: each is made once.</summary>
        private static FlagSet ReadFlags(ref ImapTokens tokens, Dictionary<string, FlagSet> flagSets)
        {
            tokens.Take('(');
            var end = tokens.Rest.IndexOf((byte)')');
            if (end < 0) throw new FormatException("a list of flags has no end");
            var written = Encoding.UTF8.GetString(tokens.Rest[..end]);
            while (!tokens.TryTake(')')) { tokens.Atom(); tokens.SkipSpaces(); }
            if (!flagSets.TryGetValue(written, out var flags)) flagSets[written] = flags = FlagSet.Parse(written);
            return flags;
        }
    }
}
