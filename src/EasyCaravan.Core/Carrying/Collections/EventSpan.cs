using System.Globalization;
using EasyCaravan.Core.Formats;
using NodaTime;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>When an event is over.</summary>
internal static class EventSpan
{
    /// <summary>
    /// It ended before this day and does not recur. A series counts as going on, because whoever ends it by a date may still look back; so
    /// does whatever has no date that can be read.
    /// </summary>
    public static bool EndedBefore(ItemComponent item, LocalDate day)
    {
        if (ItemLabel.Main(item) is not { Name: "VEVENT" } single || single.Find("RRULE") is not null || single.Find("RDATE") is not null)
            return false;
        // With a duration instead of an end the beginning says less: such an event may last for weeks.
        if (single.Find("DURATION") is not null && single.Find("DTEND") is null)
            return false;
        return DateOf(single.Find("DTEND") ?? single.Find("DTSTART")) is { } end && end < day;
    }

    /// <summary>The day as it is written, whatever its time zone.</summary>
    private static LocalDate? DateOf(ContentLine? line) =>
        line?.Text(64).Trim() is { Length: >= 8 } text
        && DateOnly.TryParseExact(text[..8], "yyyyMMdd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date)
            ? LocalDate.FromDateOnly(date)
            : null;
}
