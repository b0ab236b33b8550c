using System.Globalization;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Notifying;

/// <summary>Days, kinds and numbers as letters say them in each language.</summary>
public static class LetterWords
{
    private static readonly Dictionary<string, string[]> s_months = new()
    {
        ["en"] = ["January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"],
        ["de"] = ["Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"],
        ["fr"] = ["janvier", "février", "mars", "avril", "mai", "juin", "juillet", "août", "septembre", "octobre", "novembre", "décembre"],
    };

    private static readonly Dictionary<string, string[]> s_days = new()
    {
        ["en"] = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"],
        ["de"] = ["Montag", "Dienstag", "Mittwoch", "Donnerstag", "Freitag", "Samstag", "Sonntag"],
        ["fr"] = ["lundi", "mardi", "mercredi", "jeudi", "vendredi", "samedi", "dimanche"],
    };

    /// <summary>Such as <c>Friday, 12 February 2027</c>.</summary>
    public static string Day(LocalDate day, string language)
    {
        var (name, month) = (s_days[language][(int)day.DayOfWeek - 1], s_months[language][day.Month - 1]);
        return language switch
        {
            "de" => $"{name}, {day.Day}. {month} {day.Year}",
            "fr" => $"{name} {day.Day} {month} {day.Year}",
            _ => $"{name}, {day.Day} {month} {day.Year}",
        };
    }

    /// <summary>With the time, as the people there read it on the wall.</summary>
    public static string Time(LocalDateTime time, string language)
    {
        var clock = time.TimeOfDay.ToString("HH:mm", CultureInfo.InvariantCulture);
        return language switch
        {
            "de" => $"{Day(time.Date, language)} um {clock} Uhr",
            "fr" => $"{Day(time.Date, language)} à {clock}",
            _ => $"{Day(time.Date, language)} at {clock}",
        };
    }

    public static string Of(Kind kind, string language) =>
        (kind, language) switch
        {
            (Kind.Mail, "de") => "E-Mails",
            (Kind.Contacts, "de") => "Kontakte",
            (Kind.Calendars, "de") => "Kalender",
            (Kind.Mail, "fr") => "messages",
            (Kind.Contacts, "fr") => "contacts",
            (Kind.Calendars, "fr") => "agendas",
            (Kind.Mail, _) => "messages",
            (Kind.Contacts, _) => "contacts",
            _ => "calendars",
        };

    public static string Number(long number, string language) =>
        number
            .ToString("N0", CultureInfo.InvariantCulture)
            .Replace(
                ",",
                language switch
                {
                    "de" => ".",
                    // A narrow space that no line breaks at.
                    "fr" => "\u202F",
                    _ => ",",
                },
                StringComparison.Ordinal
            );

    /// <summary>How a connection is protected, as mail programs ask for it.</summary>
    public static string? Of(Security security) =>
        security switch
        {
            Security.Tls => "SSL/TLS",
            Security.StartTls => "STARTTLS",
            Security.None => null,
        };
}
