using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>What is to be copied of one folder.</summary>
internal sealed class CopyPart(LedgerFolder page, Dictionary<uint, ItemInfo> items)
{
    public LedgerFolder Page => page;

    public Dictionary<uint, ItemInfo> Items => items;

    /// <summary>The UIDVALIDITY to which the entries of this page belong.</summary>
    public uint? ToEpoch { get; set; } = page.ToEpoch;

    /// <summary>What did not come.</summary>
    public NumberSet Gone { get; set; } = new();

    /// <summary>Where messages landed on the to side.</summary>
    public NumberSet Landed { get; } = new();

    /// <summary>Messages that the server took without telling their UIDs.</summary>
    public Dictionary<uint, ItemInfo> Unconfirmed { get; } = [];

    /// <summary>Messages of which one with the same head came to the new address, and was not found again to be compared.</summary>
    public HashSet<uint> Unsure { get; } = [];

    /// <summary>What is tried without its keywords.</summary>
    public HashSet<uint> Bare { get; } = [];
}

/// <summary>Hands messages from one session to the other and writes down what became of each.</summary>
internal sealed class MessageCopier(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    ReadBackSample sample,
    Tally tally,
    Action<string> journal
)
{
    /// <summary>Messages handed over in one command, while all goes well.</summary>
    private const int BatchSize = 100;

    /// <summary>Entries gathered before the ledger writes them.</summary>
    private const int LedgerBatch = 500;

    /// <summary>
    /// How long appends under way may take after a pass was told to stop. The service itself stops within ten seconds.
    /// </summary>
    private static readonly TimeSpan s_endingPatience = TimeSpan.FromSeconds(8);

    /// <summary>Milliseconds after which they are written, however few.</summary>
    private const long LedgerPatience = 1_000;

    /// <summary>
    /// Messages that go one by one where passes failed repeatedly. Nothing was settled by them, so the one at fault is in the first
    /// batches.
    /// </summary>
    private const int OneByOne = 500;

    /// <summary>
    /// It waits for the old side, not for the new. Both may be one service, so that a fault's service does not tell on which side it came.
    /// </summary>
    private bool _isReading;

    public async Task CopyMessagesAsync(IReadOnlyList<CopyPart> parts, CancellationToken cancel)
    {
        var all = parts.Where(p => p.Items.Count > 0).Select(p => (Part: p, Numbers: new NumberSet(p.Items.Keys))).ToList();
        if (order.PoisonMessages is { } poison)
        {
            foreach (var (part, number) in all.SelectMany(a => a.Numbers.Select(n => (a.Part, n))).Take(OneByOne).ToList())
                await CopyAloneAsync(part, number, poison, cancel);
            all = [.. SkipFirst(all, OneByOne)];
        }
        if (all.Count > 0)
            await CopySplittingAsync(all, BatchSize, cancel);
        foreach (var part in parts.Where(p => p.Bare.Count > 0))
            journal(
                $"{part.Bare.Count} message(s) of '{part.Page.From}' were refused by the new side with their keywords and tried again "
                    + "without them"
            );
    }

    private static IEnumerable<(CopyPart Part, NumberSet Numbers)> SkipFirst(IEnumerable<(CopyPart Part, NumberSet Numbers)> all, long many)
    {
        foreach (var (part, numbers) in all)
        {
            if (numbers.Count > many)
                yield return (part, new NumberSet(numbers.Skip((int)many)));
            many = Math.Max(0, many - numbers.Count);
        }
    }

    private async Task CopyAloneAsync(CopyPart part, uint number, PoisonMessages poison, CancellationToken cancel)
    {
        // A connection that has ended cannot be asked for its subject any more.
        var labels = poison.Knows(part.Page.Id, number) ? await ReadLabelsAsync(part.Page, [part.Items[number]], cancel) : [];
        try
        {
            await CopySplittingAsync([(part, new NumberSet([number]))], 1, cancel);
        }
        catch (FaultException e) when (e.Verdict is Verdict.Close && poison.Accuse(part.Page.Id, number, e.Fault.Cause))
        {
            // Each pass before has looked for it on the to side and not found it there.
            var cause = _isReading ? Cause.MessageUnreadable : Cause.MessageRefused;
            await LeaveBehindAsync(
                part.Page,
                [part.Items[number]],
                _ => new Fault(cause, e.Fault.Whom, $"each time that this message was carried the connection ended: {e.Fault.What}"),
                labels,
                cancel
            );
            throw;
        }
    }

    /// <summary>
    /// Copies many messages in one command. If the server refuses a batch, it is split in two and retried, down to the single message it
    /// refuses.
    /// </summary>
    private async Task CopySplittingAsync(IReadOnlyList<(CopyPart Part, NumberSet Numbers)> all, int most, CancellationToken cancel)
    {
        var rounds = new Queue<(IReadOnlyList<(CopyPart Part, NumberSet Numbers)> Some, int BatchSize)>([(all, most)]);
        while (rounds.TryDequeue(out var round))
        {
            var refused = new List<AddReceipt>();
            await CopyRoundAsync(round.Some, round.BatchSize, refused, cancel);
            foreach (var (part, receipts) in refused.GroupBy(r => r.Folder).Select(g => (round.Some[g.Key].Part, g.ToList())))
            foreach (var (numbers, batchSize) in await SortRefusedAsync(part, receipts, cancel))
                rounds.Enqueue(([(part, numbers)], batchSize));
        }
    }

    /// <summary>
    /// Of what was refused: leaves behind what is to stay, and returns what is to be tried again in batches of which size.
    /// </summary>
    private async Task<List<(NumberSet Numbers, int BatchSize)>> SortRefusedAsync(
        CopyPart part,
        List<AddReceipt> refused,
        CancellationToken cancel
    )
    {
        var again = new List<(NumberSet, int)>();
        var items = part.Items;
        var alone = refused.Where(r => r.BatchSize == 1).ToList();
        // It may be the keywords that the service does not bear (RFC 5530 §3, LIMIT and CANNOT): better without them than not at all.
        var worded = alone
            .Where(r => r.Refused!.Cause is Cause.MessageRefused && HasKeywords(items[r.Number]) && part.Bare.Add(r.Number))
            .Select(r => r.Number)
            .ToList();
        foreach (var number in worded)
            items[number] = items[number] with { Flags = items[number].Flags.WithoutKeywords() };
        if (worded.Count > 0)
            again.Add((new NumberSet(worded), 1));
        await LeaveRefusedAsync(part.Page, items, [.. alone.Where(r => !worded.Contains(r.Number))], cancel);
        foreach (var together in refused.Where(r => r.BatchSize > 1).GroupBy(r => r.BatchSize))
        {
            // The server asks to come back later: splitting the batch would only ask it more often.
            if (together.FirstOrDefault(r => r.Refused!.Action is FaultAction.RetryLater).Refused is { } later)
                throw new FaultException(later, Verdict.Keep);
            again.Add((new NumberSet(together.Select(r => r.Number)), Math.Max(1, together.Key / 2)));
        }
        return again;
    }

    private static bool HasKeywords(ItemInfo item) => item.Flags.Flags.Any(f => f[0] != '\\');

    private async Task CopyRoundAsync(
        IReadOnlyList<(CopyPart Part, NumberSet Numbers)> some,
        int batchSize,
        List<AddReceipt> refused,
        CancellationToken cancel
    )
    {
        var landed = some.Select(_ => new List<LedgerEntry>()).ToList();
        var (waiting, written) = (0, Environment.TickCount64);
        async ValueTask TakeAsync(IReadOnlyList<AddReceipt> receipts)
        {
            foreach (var receipt in receipts)
            {
                var part = some[receipt.Folder].Part;
                if (receipt.Refused is not null)
                    refused.Add(receipt);
                else if (receipt.Landed is { } key && await IsOfPageAsync(part, key, landed[receipt.Folder].Count))
                {
                    landed[receipt.Folder]
                        .Add(
                            new LedgerEntry(receipt.Number, key.Number, Outcome.Carried, part.Items[receipt.Number].Flags)
                            {
                                Size = part.Items[receipt.Number].Size,
                            }
                        );
                    part.Landed.Add(key.Number);
                    waiting++;
                }
                else
                    part.Unconfirmed[receipt.Number] = part.Items[receipt.Number];
            }
            if (waiting >= LedgerBatch || (waiting > 0 && Environment.TickCount64 - written >= LedgerPatience))
                await FlushAsync();
        }
        async ValueTask FlushAsync()
        {
            var entries = some.Zip(landed, (s, l) => (s.Part, Landed: l)).Where(s => s.Landed.Count > 0).ToList();
            if (entries.Count == 0)
                return;
            // Not to be cancelled: what the to side has taken is a fact, and noting it takes a moment.
            await ledger.RecordAsync([.. entries.Select(e => new PageEntries(e.Part.Page.Id, e.Landed))], CancellationToken.None);
            foreach (var (part, done) in entries)
            {
                tally.Carry(done.Count, done.Sum(e => part.Items[e.Number].Size));
                done.Clear();
            }
            (waiting, written) = (0, Environment.TickCount64);
        }

        // Told to stop, it ends what is under way first. A command that is abandoned may still be carried out later, when the next pass has
        // already looked and found nothing: that is how a message would come twice.
        using var ending = new CancellationTokenSource();
        await using var told = cancel.Register(() => ending.CancelAfter(s_endingPatience));
        var reader = await from.ReadMessagesAsync([.. some.Select(s => (s.Part.Page.From, s.Numbers))], ending.Token);
        var writer = await to.AddMessagesAsync([.. some.Select(s => s.Part.Page.To!)], batchSize, ending.Token);
        try
        {
            int? folder = null;
            _isReading = true;
            while (!cancel.IsCancellationRequested && await reader.NextAsync(ending.Token) is { } message)
            {
                var part = some[message.Folder].Part;
                if (folder != message.Folder)
                    tally.Folder = part.Page.From.ToString();
                folder = message.Folder;
                if (order.RateLimiters.Bounds)
                {
                    _isReading = false;
                    await TakeAsync(await WaitTurnAsync(writer, message.Size, ending.Token, cancel));
                    _isReading = true;
                }
                if (cancel.IsCancellationRequested)
                    break;
                var first = await reader.ReadAsync(ending.Token);
                var octets = default(PeculiarOctets);
                octets.Take(first.Span);
                _isReading = false;
                await writer.BeginAsync(message.Folder, Marked(part.Items[message.Number]), message.Size, first, ending.Token);
                _isReading = true;
                while (first.Length > 0 && await reader.ReadAsync(ending.Token) is { Length: > 0 } piece)
                {
                    octets.Take(piece.Span);
                    _isReading = false;
                    await writer.WriteAsync(piece, ending.Token);
                    _isReading = true;
                }
                _isReading = false;
                sample.Offer(part.Page, message.Number, message.Size, octets);
                await TakeAsync(await writer.EndAsync(ending.Token));
                order.RateLimiters.Count();
                _isReading = true;
            }
            _isReading = false;
            await TakeAsync(await writer.FinishAsync(ending.Token));
            cancel.ThrowIfCancellationRequested();
        }
        catch (FaultException e) when (_isReading && e.Verdict is Verdict.Keep)
        {
            // The old side refused between two messages: what the new side has begun to take is ended first, so that its connection can be
            // used on.
            await TakeAsync(await writer.FinishAsync(ending.Token));
            throw;
        }
        finally
        {
            // Even when the connection broke: what was confirmed before is noted now and need not be looked for later.
            await FlushAsync();
        }
        for (var i = 0; i < some.Count; i++)
        {
            var part = some[i].Part;
            var unreadable = reader.Unreadable.Where(u => u.Key.Folder == i).ToDictionary(u => u.Key.Number, u => u.Value);
            await LeaveBehindAsync(part.Page, [.. unreadable.Keys.Select(n => part.Items[n])], item => unreadable[item.Number], cancel);
            part.Gone = part.Gone.Or(new NumberSet(reader.Gone.Where(g => g.Folder == i).Select(g => g.Number)));
        }
    }

    /// <summary>
    /// A server may fix a folder's numbering only when something is added to it, and have told another before. Where entries stand already,
    /// a number of another numbering is not believed: the message is found by identity.
    /// </summary>
    private async Task<bool> IsOfPageAsync(CopyPart part, ItemKey key, int unwritten)
    {
        if (key.Epoch == part.ToEpoch)
            return true;
        if (unwritten > 0 || !await ledger.RenumberAsync(part.Page.Id, key.Epoch, CancellationToken.None))
            return false;
        part.ToEpoch = key.Epoch;
        return true;
    }

    /// <summary>Where a limit makes us wait, what is under way is ended first: no server is kept in mid-command.</summary>
    private async ValueTask<IReadOnlyList<AddReceipt>> WaitTurnAsync(
        IMessageWriter writer,
        ByteCount size,
        CancellationToken ending,
        CancellationToken cancel
    )
    {
        if (order.RateLimiters.TryTake(size))
            return [];
        var receipts = await writer.FinishAsync(ending);
        try
        {
            await order.RateLimiters.TakeAsync(size, cancel);
        }
        catch (OperationCanceledException)
        {
            // The caller sees it and stops, once these receipts are noted.
        }
        return receipts;
    }

    /// <summary>With the keyword of its origin, where the route has one. The ledger keeps the flags of the from side.</summary>
    private ItemInfo Marked(ItemInfo item) =>
        order.Rules.Mail.Mark is { } mark ? item with { Flags = FlagSet.Of([.. item.Flags.Flags, mark]) } : item;

    /// <summary>Refused messages that stand alone: a fault of the account stops the pass, one of the message leaves it behind.</summary>
    private async Task LeaveRefusedAsync(
        LedgerFolder page,
        Dictionary<uint, ItemInfo> items,
        List<AddReceipt> refused,
        CancellationToken cancel
    )
    {
        if (refused.Find(r => r.Refused!.Action != FaultAction.SkipItem).Refused is { } account)
            throw new FaultException(account, Verdict.Keep);
        var faults = refused.ToDictionary(r => r.Number, r => r.Refused!);
        await LeaveBehindAsync(page, [.. faults.Keys.Select(n => items[n])], i => faults[i.Number], cancel);
    }

    public async Task LeaveBehindAsync(
        LedgerFolder page,
        IReadOnlyList<ItemInfo> items,
        Func<ItemInfo, Fault> fault,
        CancellationToken cancel
    )
    {
        if (items.Count > 0)
            await LeaveBehindAsync(page, items, fault, await ReadLabelsAsync(page, items, cancel), cancel);
    }

    private async Task LeaveBehindAsync(
        LedgerFolder page,
        IReadOnlyList<ItemInfo> items,
        Func<ItemInfo, Fault> fault,
        Dictionary<uint, (string Subject, string Sender)> labels,
        CancellationToken cancel
    )
    {
        await ledger.LeaveBehindAsync(
            page.Id,
            [
                .. items.Select(i =>
                {
                    var (subject, sender) = labels.GetValueOrDefault(i.Number, ("", ""));
                    return new LeftBehindItem(i.Number, fault(i), i.Size, i.Received, subject, sender);
                }),
            ],
            cancel
        );
        tally.LeaveBehind(items.Count);
    }

    /// <summary>For people to recognise messages by. Of one that cannot be read, the header often cannot either.</summary>
    private async Task<Dictionary<uint, (string Subject, string Sender)>> ReadLabelsAsync(
        LedgerFolder page,
        IReadOnlyList<ItemInfo> items,
        CancellationToken cancel
    )
    {
        var labels = new Dictionary<uint, (string, string)>();
        try
        {
            await from.ReadHeadersAsync(
                page.From,
                new NumberSet(items.Select(i => i.Number)),
                h => labels[h.Number] = MessageLabel.Read(h.Header),
                cancel
            );
        }
        catch (FaultException e) when (e.Verdict is Verdict.Keep)
        {
            // Without words, then: size and date still tell them apart.
        }
        return labels;
    }
}
