using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using MimeKit;
using MimeKit.Text;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>
/// After a crossing: counts with whom the person exchanges mail, and writes to them that the address has changed, where somebody asked for
/// it.
/// </summary>
/// <param name="text">What is written, filled in for this person.</param>
/// <param name="openSender">Opens the sending of the new side as the person; null: the plan does not say how its people send.</param>
public sealed class AddressChange(
    ICorrespondenceRecord record,
    IMailAccounts accounts,
    CrossingSide to,
    string name,
    IReadOnlyCollection<string> own,
    AddressMessage text,
    Func<CancellationToken, Task<IMessageSender>>? openSender,
    Action<string> journal,
    TimeProvider time
)
{
    /// <summary>People of whom is kept how many messages they exchanged.</summary>
    private const int MostKept = 500;

    private static readonly FolderPath s_drafts = FolderPath.Parse("Drafts");

    private Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    /// <exception cref="FaultException">It could not be done; what was, is kept.</exception>
    public async Task RunAsync(CancellationToken cancel)
    {
        if (await record.WantedSinceAsync(cancel) is { } since)
            await CountAsync(since, cancel);
        if (await record.NoteAsync(cancel) is { To.Count: > 0 } note)
            await (note.Way is NoteWay.Draft ? DraftAsync(note, cancel) : SendAsync(note, cancel));
    }

    private async Task CountAsync(Instant since, CancellationToken cancel)
    {
        var counted = new Correspondence(own);
        var messages = 0L;
        await using var account = await to.OpenAsync(accounts, cancel);
        foreach (var folder in (await account.ListFoldersAsync(cancel)).Where(IsLookedAt))
        {
            var isSent = folder.Use is SpecialUse.Sent;
            var numbers = await account.ListNumbersSinceAsync(folder.Path, since.ToDateTimeOffset(), cancel);
            foreach (var slice in numbers.Slices(Carrying.Mail.FreshMessages.IndexAtATime))
            {
                var received = (await account.ListItemsAsync(folder.Path, slice, new Dictionary<uint, Fault>(), cancel)).ToDictionary(
                    i => i.Number,
                    i => Instant.FromDateTimeOffset(i.Received)
                );
                await account.ReadHeadersAsync(
                    [(folder.Path, slice)],
                    (_, header) =>
                    {
                        messages++;
                        counted.Add(header.Header, isSent, received.GetValueOrDefault(header.Number, since));
                    },
                    cancel,
                    HeaderLines.Addresses
                );
            }
        }
        await record.KeepAsync(counted.Most(MostKept), messages, cancel);
        journal($"counted with whom mail is exchanged, from the headers of {messages} messages");
    }

    private static bool IsLookedAt(FolderState folder) =>
        folder is { Selectable: true, Cursor: not null }
        && folder.Use is not (SpecialUse.Junk or SpecialUse.Trash or SpecialUse.Drafts or SpecialUse.All or SpecialUse.Flagged);

    /// <summary>One draft for all of them, so that its owner sees to whom it goes, and they do not see each other.</summary>
    private async Task DraftAsync(NoteWanted note, CancellationToken cancel)
    {
        var people = note.To;
        var messageId = MessageIdOf(note, 0);
        var octets = Compose(messageId, [], people);
        await using var account = await to.OpenAsync(accounts, cancel);
        var folders = await account.ListFoldersAsync(cancel);
        var drafts = folders.FirstOrDefault(f => f is { Use: SpecialUse.Drafts, Selectable: true })?.Path ?? s_drafts;
        await account.CreateFoldersAsync([new NewFolder(drafts, SpecialUse.Drafts, Subscribe: true)], cancel);
        // A worker that was lost may have put it there.
        if ((await ProvenSearch.FindAsync(account, [drafts], messageId, cancel)).Count == 0)
            await AddAsync(account, drafts, octets, cancel);
        foreach (var person in people)
            await record.NoteIsAsync(person.Id, NoteState.Drafted, $"in {drafts}", cancel);
        journal($"a note to {people.Count} people lies in {drafts}, to be looked at and sent by its owner");
    }

    private async Task AddAsync(IMailAccount account, FolderPath drafts, byte[] octets, CancellationToken cancel)
    {
        var item = new ItemInfo(1, new ByteCount(octets.Length), time.GetUtcNow(), FlagSet.Parse("\\Draft"));
        var writer = await account.AddMessagesAsync([drafts], 1, cancel);
        await writer.BeginAsync(0, item, item.Size, octets, cancel);
        List<AddReceipt> receipts = [.. await writer.EndAsync(cancel), .. await writer.FinishAsync(cancel)];
        if (receipts.Find(r => r.Refused is not null).Refused is { } refused)
            throw new FaultException(refused, Verdict.Keep);
    }

    private async Task SendAsync(NoteWanted note, CancellationToken cancel)
    {
        var people = note.To;
        if (openSender is null)
            throw new FaultException(
                new Fault(Cause.NotPermitted, to.Account, $"nothing says how people of {to.Service.Name} send")
                {
                    Service = to.Service.Name,
                    Help = $"Write sending: {{speaks: smtp, …}} for {to.Service.Name} into the plan, or put the note among the drafts",
                },
                Verdict.Keep
            );
        await using var sender = await openSender(cancel);
        var sent = 0;
        foreach (var person in people)
        {
            // Written down first: whoever was to be written to when a worker was lost is not written to twice.
            await record.NoteIsAsync(person.Id, NoteState.Sending, null, cancel);
            var octets = Compose(MessageIdOf(note, person.Id), [person], []);
            switch (await sender.SendOctetsAsync(to.Account, person.Address, octets, cancel))
            {
                case LetterEnd.Taken taken:
                    await record.NoteIsAsync(person.Id, NoteState.Sent, taken.Answer, cancel);
                    sent++;
                    break;
                case LetterEnd.Unclear unclear:
                    await record.NoteIsAsync(person.Id, NoteState.Sending, unclear.Fault.What, cancel);
                    break;
                case LetterEnd.Refused refused:
                    await record.NoteIsAsync(person.Id, NoteState.Refused, refused.Fault.What, cancel);
                    break;
                case LetterEnd.NotNow later:
                    await record.NoteIsAsync(person.Id, NoteState.Wanted, later.Fault.What, cancel);
                    journal($"{sent} of {people.Count} people were written to that the address has changed");
                    throw new FaultException(later.Fault, Verdict.Keep);
            }
        }
        journal($"{sent} of {people.Count} people were written to that the address has changed");
    }

    private byte[] Compose(string messageId, IEnumerable<NoteTo> recipients, IEnumerable<NoteTo> hidden)
    {
        using var message = new MimeMessage
        {
            MessageId = messageId,
            Date = time.GetUtcNow(),
            Subject = text.Subject,
            Body = new TextPart(TextFormat.Plain) { Text = text.Text.ReplaceLineEndings("\r\n") },
        };
        message.From.Add(new MailboxAddress(Encoding.UTF8, name, to.Account));
        message.To.AddRange(recipients.Select(AddressOf));
        message.Bcc.AddRange(hidden.Select(AddressOf));
        // RFC 3834 §5: no machine shall answer it.
        message.Headers.Add(HeaderId.AutoSubmitted, "auto-generated");
        using var octets = new MemoryStream();
        var format = FormatOptions.Default.Clone();
        format.NewLineFormat = NewLineFormat.Dos;
        message.WriteTo(format, octets);
        return octets.ToArray();
    }

    private static MailboxAddress AddressOf(NoteTo person) => new(Encoding.UTF8, person.Name, person.Address);

    private string MessageIdOf(NoteWanted note, long person) =>
        $"new-address.{note.Key}.{person}@{to.Account[(to.Account.LastIndexOf('@') + 1)..]}";
}
