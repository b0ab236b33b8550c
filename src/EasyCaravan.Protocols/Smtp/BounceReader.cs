using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap;
using MimeKit;

namespace EasyCaravan.Protocols.Smtp;

/// <summary>That a letter did not reach somebody (RFC 3464).</summary>
/// <param name="MessageId">Of the letter, without angle brackets.</param>
/// <param name="Status">Such as 5.1.1 (RFC 3463).</param>
/// <param name="Why">What the server said, for people.</param>
public sealed record Bounce(string MessageId, string? Status, string Why);

/// <summary>Looks through the sender's mailbox for reports of letters that could not be delivered. It changes nothing there.</summary>
public static class BounceReader
{
    /// <summary>Larger reports are passed over: nothing that is needed of them comes so late.</summary>
    private static readonly ByteCount s_largest = new(256 * 1024);

    /// <summary>Messages that are looked at in one go.</summary>
    private const int Most = 500;

    /// <param name="since">The inbox as it was when it was looked through last; null: it never was, and what lies there is old.</param>
    /// <returns>What came since, and how far it was looked.</returns>
    public static async Task<(IReadOnlyList<Bounce> Bounces, FolderCursor? Seen)> ReadAsync(
        Notices notices,
        string secret,
        FolderCursor? since,
        CancellationToken cancel
    )
    {
        var mailbox = new Service("notices", notices.Bounces, new Core.Planning.SignIn.Password(null), notices.Trust, Limits.Default);
        var who = new Credentials(notices.Login!.Login, notices.Login.Login, secret);
        await using IMailAccount account = await ImapMailAccount.OpenAsync(mailbox, who, null, null, null, cancel);
        var inbox = (await account.ListFoldersAsync(cancel)).FirstOrDefault(f => f.Path.IsInbox)?.Cursor;
        if (inbox is null || since is null || inbox.Epoch != since.Epoch || inbox.Next <= since.Next)
            return ([], inbox ?? since);
        var path = FolderPath.Inbox;
        var numbers = (await account.ListNumbersAsync(path, cancel)).From(since.Next);
        var fresh = numbers.Slices(Most).FirstOrDefault() ?? new NumberSet();
        var items = await account.ListItemsAsync(path, fresh, new Dictionary<uint, Fault>(), cancel);
        var readable = new NumberSet(items.Where(i => i.Size <= s_largest).Select(i => i.Number).Order());
        var bounces = new List<Bounce>();
        var reader = await account.ReadMessagesAsync([(path, readable)], cancel);
        while (await reader.NextAsync(cancel) is not null)
        {
            using var octets = new MemoryStream();
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
                octets.Write(piece.Span);
            octets.Position = 0;
            if (Read(octets) is { } bounce)
                bounces.Add(bounce);
        }
        return (bounces, fresh.Count == 0 ? inbox : inbox with { Next = fresh.Ranges[^1].Last + 1 });
    }

    /// <summary>What a message reports; null: it is no report of a failure.</summary>
    public static Bounce? Read(Stream octets)
    {
        try
        {
            using var message = MimeMessage.Load(octets);
            var status = message.BodyParts.OfType<MessageDeliveryStatus>().FirstOrDefault();
            var failed = status?.StatusGroups.FirstOrDefault(g =>
                g["Action"]?.Trim().Equals("failed", StringComparison.OrdinalIgnoreCase) == true
            );
            if (failed is null)
                return null;
            // RFC 3462 §2: the letter itself, or its header alone, comes back with the report.
            var about = message.BodyParts.OfType<MessagePart>().FirstOrDefault()?.Message?.MessageId
                ?? message
                    .BodyParts.OfType<MimePart>()
                    .Where(p => p.ContentType.IsMimeType("text", "rfc822-headers"))
                    .Select(IdOf)
                    .FirstOrDefault(id => id is not null);
            var why = failed["Diagnostic-Code"] ?? failed["Status"] ?? "it could not be delivered";
            return about is null ? null : new Bounce(about, failed["Status"]?.Trim(), Plain(why));
        }
        catch (Exception e) when (e is FormatException or IOException)
        {
            return null;
        }
    }

    private static string? IdOf(MimePart part)
    {
        using var content = part.Content?.Open();
        return content is null ? null : HeaderList.Load(content)[HeaderId.MessageId]?.Trim().Trim('<', '>');
    }

    private static string Plain(string text) => new([.. text.ReplaceLineEndings(" ").Where(c => !char.IsControl(c)).Take(300)]);
}
