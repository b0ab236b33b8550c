using EasyCaravan.Core.Formats;
using NodaTime;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Recognises events whose writing makes a calendar server send something (RFC 6638 §3.2).</summary>
internal static class Invitations
{
    /// <param name="addresses">Of the calendar user on the to side, such as <c>mailto:desk@saltmarsh.example</c>.</param>
    public static bool WouldBeSent(ItemComponent item, IReadOnlyCollection<string> addresses, LocalDate today)
    {
        var parts = item.Children.SelectMany(c => c.Children).Where(c => c.Name is "VEVENT" or "VTODO").ToList();
        // Of what is over, servers send nothing. Two days more, because a day begins at another time elsewhere.
        if (!parts.Exists(p => p.Find("ORGANIZER") is not null) || EventSpan.EndedBefore(item, today.PlusDays(-2)))
            return false;
        return parts.Exists(p =>
            p.FindAll("ATTENDEE").Any()
            && (
                (p.Find("ORGANIZER") is { } organiser && IsOne(organiser, addresses)) || p.FindAll("ATTENDEE").Any(a => IsOne(a, addresses))
            )
        );
    }

    public static bool IsOne(ContentLine line, IReadOnlyCollection<string> addresses) =>
        Plain(line.Text()) is var address && addresses.Any(a => Plain(a).Equals(address, StringComparison.OrdinalIgnoreCase));

    private static string Plain(string address)
    {
        var text = address.Trim();
        return text.StartsWith("mailto:", StringComparison.OrdinalIgnoreCase) ? text["mailto:".Length..] : text;
    }
}
