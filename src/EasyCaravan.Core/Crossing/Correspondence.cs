using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Formats;
using MimeKit;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>Somebody with whom a person exchanges mail.</summary>
/// <param name="Address">In lower case.</param>
/// <param name="Name">As it stood beside the address last; empty: none did.</param>
/// <param name="Received">Messages from there.</param>
/// <param name="Sent">Messages of the person to there.</param>
public sealed record Correspondent(string Address, string Name, long Received, long Sent, Instant LastAt);

/// <summary>
/// Counts with whom a person exchanges mail, from headers alone. Lists and machines are left out: nobody there has to learn of an address.
/// </summary>
/// <param name="own">The person's own addresses.</param>
public sealed class Correspondence(IEnumerable<string> own)
{
    /// <summary>More addresses are not kept: a mailbox that was flooded would fill the memory.</summary>
    private const int MostAddresses = 100_000;

    /// <summary>Longer ones are no addresses (RFC 5321 §4.5.3.1).</summary>
    private const int LongestAddress = 320;

    private static readonly string[] s_machines = ["noreply", "no-reply", "donotreply", "do-not-reply", "mailer-daemon", "postmaster"];

    private readonly HashSet<string> _own = new(own, StringComparer.OrdinalIgnoreCase);
    private readonly Dictionary<string, Correspondent> _all = [];

    /// <param name="isSent">It lies among the messages that the person sent.</param>
    /// <param name="received">When it was received, or sent, as the mailbox has it.</param>
    public void Add(ReadOnlySpan<byte> header, bool isSent, Instant received)
    {
        MailboxAddress? sender = null;
        var recipients = new List<MailboxAddress>();
        var isOfMachine = false;
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
        {
            var text = HeaderFields.Unfold(value);
            if (Is(name, "from"u8))
                sender ??= Addresses(text).FirstOrDefault();
            else if (Is(name, "to"u8) || Is(name, "cc"u8))
                recipients.AddRange(Addresses(text));
            else if (Is(name, "list-id"u8))
                isOfMachine = true;
            // RFC 3834 §5: "no" alone says that a person wrote it.
            else if (Is(name, "auto-submitted"u8))
                isOfMachine |= !text.StartsWith("no", StringComparison.OrdinalIgnoreCase);
            else if (Is(name, "precedence"u8))
                isOfMachine |= text is "bulk" or "list" or "junk";
        }
        if (isOfMachine)
            return;
        if (isSent || (sender is not null && _own.Contains(sender.Address)))
            foreach (var recipient in recipients.DistinctBy(r => r.Address, StringComparer.OrdinalIgnoreCase))
                Count(recipient, received, sent: 1, got: 0);
        else if (sender is not null)
            Count(sender, received, sent: 0, got: 1);
    }

    /// <summary>Those who exchange most first.</summary>
    public IReadOnlyList<Correspondent> Most(int count) =>
        [
            .. _all
                .Values.OrderByDescending(c => Math.Min(c.Received, c.Sent))
                .ThenByDescending(c => c.Received + c.Sent)
                .ThenBy(c => c.Address, StringComparer.Ordinal)
                .Take(count),
        ];

    private void Count(MailboxAddress who, Instant at, long sent, long got)
    {
        var address = who.Address.ToLowerInvariant();
        if (address.Length > LongestAddress || !address.Contains('@') || _own.Contains(address))
            return;
        if (s_machines.Any(m => address.StartsWith(m, StringComparison.Ordinal)))
            return;
        if (!_all.TryGetValue(address, out var known))
        {
            if (_all.Count == MostAddresses)
                return;
            known = new Correspondent(address, "", 0, 0, at);
        }
        _all[address] = new Correspondent(
            address,
            Named(who.Name) is { Length: > 0 } name && (at >= known.LastAt || known.Name.Length == 0) ? name : known.Name,
            known.Received + got,
            known.Sent + sent,
            at > known.LastAt ? at : known.LastAt
        );
    }

    private static string Named(string? name) => MessageLabel.Cut(name ?? "");

    private static IEnumerable<MailboxAddress> Addresses(string text) =>
        InternetAddressList.TryParse(text, out var list) ? list.Mailboxes : [];

    private static bool Is(ReadOnlySpan<byte> name, ReadOnlySpan<byte> wanted) => System.Text.Ascii.EqualsIgnoreCase(name, wanted);
}
