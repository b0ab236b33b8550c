using System.Globalization;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>What tells people which contact or event it is.</summary>
/// <param name="Uid">Null: it has none.</param>
/// <param name="Title">The contact's name, or what the event is called.</param>
/// <param name="Whom">An address of the contact, or who organises the event.</param>
/// <param name="At">When the event begins, as far as it is written in a known way.</param>
public sealed record ItemLabel(string? Uid, string Title, string Whom, DateTimeOffset? At)
{
    private const int Longest = 200;

    private static readonly string[] s_times = ["yyyyMMdd'T'HHmmss'Z'", "yyyyMMdd'T'HHmmss", "yyyyMMdd"];

    public static ItemLabel Of(ItemComponent item)
    {
        var component = Main(item);
        if (component is null)
            return new ItemLabel(null, "", "", null);
        var uid = component.Find("UID")?.Text().Trim();
        var title = component.Find(component.Name == "VCARD" ? "FN" : "SUMMARY")?.Text(Longest) ?? "";
        var whom = component.Find(component.Name == "VCARD" ? "EMAIL" : "ORGANIZER")?.Text(Longest) ?? "";
        var start = component.Find("DTSTART")?.Text(64).Trim();
        return new ItemLabel(
            uid is { Length: > 0 } ? uid : null,
            Plain(title),
            Plain(whom),
            DateTimeOffset.TryParseExact(start, s_times, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var at)
                ? at
                : null
        );
    }

    /// <summary>The card, or of a calendar object the event, task or journal that is no single instance of a series.</summary>
    public static ItemComponent? Main(ItemComponent item)
    {
        var all = item.Children.SelectMany(c => c.Name == "VCALENDAR" ? c.Children : [c]);
        var items = all.Where(c => c.Name is "VCARD" or "VEVENT" or "VTODO" or "VJOURNAL").ToList();
        return items.Find(c => c.Find("RECURRENCE-ID") is null) ?? items.FirstOrDefault();
    }

    private static string Plain(string text) => ContentText.Unescape(text).Replace('\n', ' ').Trim();
}
