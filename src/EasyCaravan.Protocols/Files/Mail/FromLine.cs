using System.Globalization;
using System.Text;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>The line before a message in an mbox: "From ", a sender, and a date (RFC 4155, appendix A).</summary>
/// <param name="Date">As written; without a zone it is UTC, as RFC 4155 wants it.</param>
internal readonly record struct FromLine(DateTimeOffset Date, bool HasZone)
{
    private const int Longest = 1000;

    private static readonly string[] s_weekdays = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

    private static readonly string[] s_months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

    public static ReadOnlySpan<byte> Start => "From "u8;

    /// <param name="line">With or without its line end.</param>
    /// <returns>Null: it is none, as no date stands in it.</returns>
    public static FromLine? Parse(ReadOnlySpan<byte> line)
    {
        if (!line.StartsWith(Start) || line.Length > Longest)
            return null;
        var words = Encoding.Latin1.GetString(line).Split((char[])[' ', '\t', '\r', '\n'], StringSplitOptions.RemoveEmptyEntries);
        for (var i = 1; i < words.Length; i++)
            if (s_weekdays.Contains(words[i].TrimEnd(','), StringComparer.OrdinalIgnoreCase) && DateOf(words.AsSpan(i + 1)) is { } date)
                return date;
        return null;
    }

    /// <summary>Month, day, time, and year, in any order that is in use; a zone may stand before or after the year.</summary>
    private static FromLine? DateOf(ReadOnlySpan<string> words)
    {
        int? month = null;
        int? day = null;
        int? year = null;
        TimeSpan? time = null;
        TimeSpan? zone = null;
        foreach (var word in words)
        {
            if (month is null && Array.FindIndex(s_months, m => m.Equals(word, StringComparison.OrdinalIgnoreCase)) is >= 0 and var at)
                month = at + 1;
            else if (time is null && word.Contains(':', StringComparison.Ordinal))
                time = TimeOf(word);
            else if (zone is null && ZoneOf(word) is { } offset)
                zone = offset;
            else if (int.TryParse(word, NumberStyles.None, CultureInfo.InvariantCulture, out var number))
                if (day is null && word.Length <= 2)
                    day = number;
                else if (year is null && word.Length == 4)
                    year = number;
            if (month is not null && day is not null && year is not null && time is not null && zone is not null)
                break;
        }
        if (month is null || day is null or < 1 or > 31 || year is null or < 1970 or > 2200 || time is null)
            return null;
        if (day > DateTime.DaysInMonth(year.Value, month.Value))
            return null;
        var local = new DateTime(year.Value, month.Value, day.Value).Add(time.Value);
        return new FromLine(new DateTimeOffset(local, zone ?? TimeSpan.Zero), zone is not null);
    }

    private static TimeSpan? TimeOf(string word) =>
        TimeOnly.TryParseExact(word, ["HH:mm:ss", "H:mm:ss", "HH:mm"], CultureInfo.InvariantCulture, DateTimeStyles.None, out var time)
            ? time.ToTimeSpan()
            : null;

    private static TimeSpan? ZoneOf(string word)
    {
        if (word is "UTC" or "GMT" or "UT" or "Z")
            return TimeSpan.Zero;
        if (word.Length != 5 || word[0] is not ('+' or '-'))
            return null;
        if (!int.TryParse(word.AsSpan(1), NumberStyles.None, CultureInfo.InvariantCulture, out var digits))
            return null;
        var offset = new TimeSpan(digits / 100, digits % 100, 0);
        return offset > TimeSpan.FromHours(14) ? null
            : word[0] == '-' ? -offset
            : offset;
    }
}
