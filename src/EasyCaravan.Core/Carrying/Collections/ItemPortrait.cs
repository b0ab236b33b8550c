using System.Globalization;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;
using NodaTime;
using NodaTime.Text;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>One line of what a contact or event says, as people read it.</summary>
/// <param name="Label">Such as <c>Phone (mobile)</c> or <c>When</c>.</param>
public readonly record struct PortraitLine(string Label, string Value);

/// <summary>A contact or event as people see it: no property names, no escapes, dates in words.</summary>
public static class ItemPortrait
{
    private const int LongestValue = 2000;

    private static readonly LocalDateTimePattern s_dateTime = LocalDateTimePattern.CreateWithInvariantCulture("yyyyMMdd'T'HHmmss");
    private static readonly LocalDatePattern s_date = LocalDatePattern.CreateWithInvariantCulture("yyyyMMdd");
    private static readonly LocalDatePattern s_isoDate = LocalDatePattern.Iso;

    /// <summary>They tell programs something, and people nothing.</summary>
    private static readonly HashSet<string> s_technical =
    [
        "VERSION",
        "PRODID",
        "REV",
        "DTSTAMP",
        "SEQUENCE",
        "CREATED",
        "LAST-MODIFIED",
        "CALSCALE",
        "METHOD",
        "TRANSP",
        "N",
        "RECURRENCE-ID",
    ];

    private static readonly Dictionary<string, string> s_labels = new()
    {
        ["FN"] = "Name",
        ["NICKNAME"] = "Nickname",
        ["ORG"] = "Organisation",
        ["TITLE"] = "Job title",
        ["ROLE"] = "Role",
        ["EMAIL"] = "E-mail",
        ["TEL"] = "Phone",
        ["ADR"] = "Address",
        ["URL"] = "Website",
        ["BDAY"] = "Birthday",
        ["ANNIVERSARY"] = "Anniversary",
        ["NOTE"] = "Note",
        ["CATEGORIES"] = "Groups",
        ["PHOTO"] = "Photo",
        ["LOGO"] = "Logo",
        ["IMPP"] = "Chat",
        ["SUMMARY"] = "What",
        ["DTSTART"] = "Begins",
        ["DTEND"] = "Ends",
        ["DUE"] = "Due",
        ["DURATION"] = "Lasts",
        ["COMPLETED"] = "Done",
        ["RRULE"] = "Repeats",
        ["EXDATE"] = "Not on",
        ["RDATE"] = "Also on",
        ["LOCATION"] = "Where",
        ["ORGANIZER"] = "Organised by",
        ["ATTENDEE"] = "With",
        ["STATUS"] = "Status",
        ["PRIORITY"] = "Priority",
        ["DESCRIPTION"] = "Description",
        ["UID"] = "UID",
    };

    public static IReadOnlyList<PortraitLine> Of(ReadOnlyMemory<byte> octets)
    {
        var item = ItemComponent.Parse(octets);
        if (ItemLabel.Main(item) is not { } main)
            return [];
        var lines = main.Lines.Where(l => l.Name.Length > 0 && !s_technical.Contains(l.Name) && !l.IsEmpty).Select(LineOf).ToList();
        lines.AddRange(main.Children.Where(c => c.Name == "VALARM").Select(a => new PortraitLine("Reminder", ReminderOf(a))));
        var parts = item.Children.SelectMany(c => c.Children).Where(c => c.Name == main.Name && c != main);
        lines.AddRange(parts.Where(p => p.Find("RECURRENCE-ID") is not null).Select(p => new PortraitLine("Changed once", ChangedOf(p))));
        // In the order in which people look for them; what no word is known for comes last.
        var order = s_labels.Keys.Select((k, i) => (Label: s_labels[k], i)).ToDictionary(p => p.Label, p => p.i);
        return [.. lines.OrderBy(l => order.GetValueOrDefault(l.Label.Split(" (")[0], int.MaxValue))];
    }

    private static PortraitLine LineOf(ContentLine line)
    {
        var label = s_labels.GetValueOrDefault(line.Name) ?? line.Name;
        var types = line.ParameterValues("TYPE").Select(TypeWord).OfType<string>().Distinct().ToList();
        if (types.Count > 0 && line.Name is "TEL" or "EMAIL" or "ADR" or "URL" or "IMPP")
            label += $" ({string.Join(", ", types)})";
        return new PortraitLine(label, ValueOf(line));
    }

    private static string ValueOf(ContentLine line)
    {
        var text = line.Text(LongestValue);
        return line.Name switch
        {
            "PHOTO" or "LOGO" or "SOUND" or "KEY" => text.StartsWith("http", StringComparison.OrdinalIgnoreCase)
                ? text
                : $"{new ByteCount(line.Length)} in the contact itself",
            "ADR" or "ORG" => string.Join(", ", SplitPlain(text, ';')),
            "CATEGORIES" => string.Join(", ", SplitPlain(text, ',')),
            "BDAY" or "ANNIVERSARY" => DayOf(text),
            "DTSTART" or "DTEND" or "DUE" or "COMPLETED" => MomentOf(text, line),
            "EXDATE" or "RDATE" => string.Join("; ", text.Split(',').Select(t => MomentOf(t, line))),
            "RRULE" => RuleOf(text),
            "DURATION" => LengthOf(text),
            "ORGANIZER" or "ATTENDEE" => PersonOf(line, text),
            _ => Plain(text),
        };
    }

    private static string? TypeWord(string type) =>
        type.ToUpperInvariant() switch
        {
            "HOME" => "home",
            "WORK" => "work",
            "CELL" => "mobile",
            "FAX" => "fax",
            "PAGER" => "pager",
            _ => null,
        };

    private static string PersonOf(ContentLine line, string text)
    {
        var address = text.StartsWith("mailto:", StringComparison.OrdinalIgnoreCase) ? text[7..] : text;
        string? Parameter(string name) => line.Parameters.Where(p => p.Name == name).Select(p => p.Value).FirstOrDefault();
        var name = Parameter("CN") is { Length: > 0 } cn ? $"{cn} <{address}>" : address;
        return Parameter("PARTSTAT")?.ToUpperInvariant() switch
        {
            "ACCEPTED" => $"{name}, accepted",
            "DECLINED" => $"{name}, declined",
            "TENTATIVE" => $"{name}, perhaps",
            "NEEDS-ACTION" => $"{name}, has not answered",
            _ => name,
        };
    }

    private static string ReminderOf(ItemComponent alarm)
    {
        var trigger = alarm.Find("TRIGGER")?.Text(64).Trim() ?? "";
        return trigger.StartsWith("-P", StringComparison.Ordinal) ? $"{LengthOf(trigger[1..])} before"
            : trigger is "PT0S" or "P0D" or "PT0M" ? "when it begins"
            : trigger.StartsWith('P') ? $"{LengthOf(trigger)} after it begins"
            : alarm.Find("TRIGGER") is { } line ? MomentOf(trigger, line)
            : "at an unknown time";
    }

    private static string ChangedOf(ItemComponent instance)
    {
        var which = instance.Find("RECURRENCE-ID") is { } id ? MomentOf(id.Text(64).Trim(), id) : "";
        var now = instance.Find("DTSTART") is { } start ? MomentOf(start.Text(64).Trim(), start) : "";
        return which == now ? $"{which}: {Plain(instance.Find("SUMMARY")?.Text(200) ?? "")}" : $"{which} takes place {now}";
    }

    /// <summary>RFC 6350 §4.3: with or without a year, with or without hyphens.</summary>
    private static string DayOf(string text)
    {
        var day = text.Split('T')[0];
        if ((s_isoDate.Parse(day) is { Success: true } iso ? iso : s_date.Parse(day)) is { Success: true, Value: var date })
            return Day(date);
        var digits = new string([.. day.Where(char.IsAsciiDigit)]);
        return
            day.StartsWith("--", StringComparison.Ordinal)
            && digits.Length == 4
            && s_date.Parse($"2000{digits}") is { Success: true, Value: var yearless }
            ? yearless.ToString("d MMMM", CultureInfo.InvariantCulture)
            : Plain(text);
    }

    private static string Day(LocalDate date) => date.ToString("ddd d MMMM yyyy", CultureInfo.InvariantCulture);

    private static string MomentOf(string text, ContentLine line)
    {
        var trimmed = text.Trim();
        if (s_date.Parse(trimmed) is { Success: true, Value: var day })
            return $"{Day(day)}, all day";
        if (s_dateTime.Parse(trimmed.TrimEnd('Z')) is not { Success: true, Value: var at })
            return Plain(trimmed);
        var zone =
            trimmed.EndsWith('Z') ? "UTC"
            : line.Parameters.Where(p => p.Name == "TZID").Select(p => p.Value).FirstOrDefault() is { } named ? named
            : "local time";
        return $"{Day(at.Date)} {at.TimeOfDay.ToString("HH:mm", CultureInfo.InvariantCulture)} ({zone})";
    }

    private static string LengthOf(string text)
    {
        if (PeriodPattern.NormalizingIso.Parse(text) is not { Success: true, Value: var period })
            return Plain(text);
        (long Count, string Word)[] parts =
        [
            (period.Weeks, "week"),
            (period.Days, "day"),
            (period.Hours, "hour"),
            (period.Minutes, "minute"),
            (period.Seconds, "second"),
        ];
        var said = parts.Where(p => p.Count != 0).Select(p => Count(p.Count, p.Word)).ToList();
        return said.Count == 0 ? "no time" : string.Join(" ", said);
    }

    private static string Count(long number, string word) => $"{number} {word}{(number == 1 ? "" : "s")}";

    /// <summary>RFC 5545 §3.3.10: how often, until when, and the rest as it is written.</summary>
    private static string RuleOf(string text)
    {
        var parts = text.Split(';', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => p.Split('=', 2))
            .Where(p => p.Length == 2)
            .GroupBy(p => p[0].Trim().ToUpperInvariant())
            .ToDictionary(g => g.Key, g => g.First()[1].Trim().ToUpperInvariant());
        if (!parts.Remove("FREQ", out var frequency))
            return Plain(text);
        _ = long.TryParse(parts.GetValueOrDefault("INTERVAL"), CultureInfo.InvariantCulture, out var interval);
        parts.Remove("INTERVAL");
        var unit = frequency switch
        {
            "DAILY" => "day",
            "WEEKLY" => "week",
            "MONTHLY" => "month",
            "YEARLY" => "year",
            "HOURLY" => "hour",
            "MINUTELY" => "minute",
            _ => "second",
        };
        var said = interval > 1 ? $"every {Count(interval, unit)}" : $"every {unit}";
        if (parts.Remove("BYDAY", out var days))
            said += $" on {days.Replace(",", ", ", StringComparison.Ordinal)}";
        if (parts.Remove("COUNT", out var count))
            said += $", {count} times";
        if (parts.Remove("UNTIL", out var until))
            said += $", until {(s_date.Parse(until.Split('T')[0]) is { Success: true, Value: var last } ? Day(last) : until)}";
        parts.Remove("WKST");
        return parts.Count == 0 ? said : $"{said} ({string.Join("; ", parts.Select(p => $"{p.Key}={p.Value}"))})";
    }

    private static IEnumerable<string> SplitPlain(string text, char between)
    {
        var part = new System.Text.StringBuilder();
        for (var i = 0; i <= text.Length; i++)
        {
            if (i < text.Length && text[i] == '\\' && i + 1 < text.Length)
            {
                part.Append(text[i]).Append(text[++i]);
                continue;
            }
            if (i < text.Length && text[i] != between)
            {
                part.Append(text[i]);
                continue;
            }
            if (Plain(part.ToString()) is { Length: > 0 } plain)
                yield return plain;
            part.Clear();
        }
    }

    /// <summary>Without escapes (RFC 6350 §3.4, RFC 5545 §3.3.11).</summary>
    private static string Plain(string text) => ContentText.Unescape(text).Trim();
}
