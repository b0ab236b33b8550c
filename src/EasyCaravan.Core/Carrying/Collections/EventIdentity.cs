using System.Globalization;
using EasyCaravan.Core.Formats;
using NodaTime;
using NodaTime.Text;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// By what an event, task or journal is known where the two sides have no UID in common: when it begins, what it is called, who organises
/// it and how it recurs.
/// </summary>
/// <param name="Uid">As it is written; null: none.</param>
/// <param name="Start">In UTC where its time zone is known, so that a server that moves it to another zone changes nothing.</param>
/// <param name="Summary">Without case and runs of blanks.</param>
/// <param name="Organiser">The calendar user's address in small letters; empty: none.</param>
/// <param name="Recurrence">The rule with its parts in order; empty: none.</param>
public sealed record EventIdentity(string? Uid, string Start, string Summary, string Organiser, string Recurrence)
{
    private static readonly LocalDateTimePattern s_local = LocalDateTimePattern.CreateWithInvariantCulture("yyyyMMdd'T'HHmmss");

    /// <param name="component">A VEVENT, VTODO or VJOURNAL that is no single instance of a series.</param>
    public static EventIdentity Of(ItemComponent component) =>
        new(
            component.Find("UID")?.Text().Trim() is { Length: > 0 } uid ? uid : null,
            component.Find("DTSTART") is { } start ? InstantOf(start) : "",
            WordsOf(component.Find("SUMMARY")?.Text() ?? ""),
            component.Find("ORGANIZER")?.Text().Trim().ToLowerInvariant() ?? "",
            RuleOf(component.Find("RRULE")?.Text() ?? "")
        );

    /// <summary>
    /// By UID, or where one has none or another, by all the rest. Without a beginning and a name there is too little to go by.
    /// </summary>
    public bool Matches(EventIdentity other) =>
        (Uid is not null && Uid == other.Uid)
        || (Start.Length > 0 && Summary.Length > 0 && (this with { Uid = null }).Equals(other with { Uid = null }));

    /// <summary>RFC 5545 §3.3.5: a time in UTC, in a named zone, or in no zone; what is neither stays as it is written.</summary>
    private static string InstantOf(ContentLine line)
    {
        var text = line.Text().Trim();
        if (text.EndsWith('Z') || line.Parameters.FirstOrDefault(p => p.Name == "TZID") is not { Value: { } zoneName })
            return text;
        return DateTimeZoneProviders.Tzdb.GetZoneOrNull(zoneName) is { } zone && s_local.Parse(text) is { Success: true, Value: var local }
            ? local.InZoneLeniently(zone).ToInstant().ToString("uuuuMMdd'T'HHmmss'Z'", CultureInfo.InvariantCulture)
            : text;
    }

    private static string RuleOf(string rule) =>
        string.Join(
            ';',
            rule.ToUpperInvariant().Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Order()
        );

    private static string WordsOf(string text) =>
        string.Join(' ', text.ToLowerInvariant().Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
}
