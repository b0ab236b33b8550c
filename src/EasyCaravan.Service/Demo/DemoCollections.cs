using System.Globalization;
using System.Text;
using System.Text.Json;
using EasyCaravan.StandIns;

namespace EasyCaravan.Service.Demo;

/// <summary>The invented people's address books and calendars, made of the demo folder's words, the same at every start.</summary>
internal sealed class DemoCollections
{
    /// <summary>A picture of one dot.</summary>
    private const string Photo = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==";

    /// <summary>People with photos of others, which the new side loses, and people with one event in two calendars.</summary>
    private static readonly string[] s_photographers = ["aoife.marsh", "imogen.vale", "siobhan.weir"];
    private static readonly string[] s_twice = ["cillian.reed", "tomas.ankerman"];

    /// <summary>People who have begun an address book on the new side already.</summary>
    private static readonly string[] s_begun = ["aoife.marsh", "bram.tolland", "edda.lorn", "una.bracken"];

    private readonly Words _words;
    private readonly Random _chance = new(1907);
    private int _made;

    private sealed record Words(
        string[] Given,
        string[] Family,
        string[] Companies,
        string[] Titles,
        string[] Towns,
        string[] Notes,
        string[] Events,
        string[] Places,
        string[] Tasks
    );

    public DemoCollections(string folder) =>
        _words = JsonSerializer.Deserialize<Words>(File.ReadAllText(Path.Combine(folder, "collections.json")), JsonSerializerOptions.Web)!;

    public void Settle(string account, StandInDavAccount from, StandInDavAccount to)
    {
        var local = account.Split('@')[0];
        var contacts = from.Find(isCalendar: false, "contacts")!;
        var calendar = from.Find(isCalendar: true, "calendar")!;
        var family = from.Make(isCalendar: false, "family", "Family & friends");
        var duty = from.Make(isCalendar: true, "duty", "Duty roster");
        duty.Properties[s_colour] = new System.Xml.Linq.XElement(s_colour, "#B4532A");
        for (var i = 0; i < 18 + _chance.Next(20); i++)
            Add(contacts, withPhoto: s_photographers.Contains(local) && i % 9 == 4);
        for (var i = 0; i < 4 + _chance.Next(5); i++)
            Add(family, withPhoto: false);
        for (var i = 0; i < 16 + _chance.Next(16); i++)
            Plan(calendar, account, i);
        for (var i = 0; i < 6; i++)
            Plan(duty, account, i * 5);
        for (var i = 0; i < 2; i++)
            Task(calendar);
        if (s_twice.Contains(local))
            duty.Put("copied.ics", calendar.Items.First().Value.Octets);
        if (s_begun.Contains(local))
        {
            var there = to.Find(isCalendar: false, "contacts")!;
            // Typed in anew: another UID, and without what was not at hand.
            foreach (var (item, number) in contacts.Items.Values.Take(5).Select((i, n) => (i, n)))
                there.Put($"typed-{number}.vcf", Typed(item.Text, number));
        }
    }

    private static readonly System.Xml.Linq.XName s_colour = System.Xml.Linq.XNamespace.Get("http://apple.com/ns/ical/") + "calendar-color";

    private string Any(string[] words) => words[_chance.Next(words.Length)];

    private void Add(StandInCollection book, bool withPhoto)
    {
        var (given, family, number) = (Any(_words.Given), Any(_words.Family), ++_made);
        var card = new StringBuilder("BEGIN:VCARD\r\nVERSION:3.0\r\nPRODID:-//Lanternpost//Contacts//EN\r\n");
        void Line(string text) => card.Append(text).Append("\r\n");
        Line($"UID:lantern-contact-{number}");
        Line($"N:{family};{given};;;");
        Line($"FN:{given} {family}");
        Line($"EMAIL;TYPE=WORK:contact{number}@saltmarsh.example");
        if (number % 3 != 0)
            Line(string.Create(CultureInfo.InvariantCulture, $"TEL;TYPE=CELL:+353 1 555 {number:0000}"));
        if (number % 4 == 0)
            Line($"ADR;TYPE=HOME:;;{1 + number % 40} Quay Street;{Any(_words.Towns)};;;Ireland");
        if (number % 2 == 0)
        {
            Line($"ORG:{Any(_words.Companies)}");
            Line($"TITLE:{Any(_words.Titles)}");
        }
        if (number % 7 == 0)
            Line(string.Create(CultureInfo.InvariantCulture, $"BDAY:19{60 + number % 40:00}-{1 + number % 12:00}-{1 + number % 28:00}"));
        if (number % 5 == 0)
            Line($"NOTE:{Any(_words.Notes)}");
        if (withPhoto)
            Line($"PHOTO;ENCODING=b;TYPE=PNG:{Photo[..60]}\r\n {Photo[60..]}");
        Line("END:VCARD");
        book.Put($"{number}.vcf", card.ToString());
    }

    private static string Typed(string card, int number)
    {
        var lines = card.Split("\r\n")
            .Where(l =>
                l.Length > 0
                && !l.StartsWith("TEL", StringComparison.Ordinal)
                && !l.StartsWith("PHOTO", StringComparison.Ordinal)
                && !l.StartsWith(' ')
            );
        var typed = lines.Select(l => l.StartsWith("UID:", StringComparison.Ordinal) ? $"UID:typed-{Guid.NewGuid():N}" : l);
        var nickname = number == 4 ? ["NICKNAME:Skipper"] : Array.Empty<string>();
        return string.Concat(typed.SkipLast(1).Concat(nickname).Append("END:VCARD").Select(l => $"{l}\r\n"));
    }

    private void Plan(StandInCollection calendar, string account, int day)
    {
        var number = ++_made;
        var start = DateTimeOffset.UtcNow.Date.AddDays((day * 9) - 60).AddHours(7 + number % 9);
        string Time(DateTime at) => at.ToString("yyyyMMdd'T'HHmmss'Z'", CultureInfo.InvariantCulture);
        List<string> lines =
        [
            $"UID:lantern-event-{number}",
            "DTSTAMP:20260101T080000Z",
            $"DTSTART:{Time(start)}",
            $"DTEND:{Time(start.AddMinutes(30 + (number % 3 * 30)))}",
            $"SUMMARY:{Any(_words.Events)}",
            $"LOCATION:{Any(_words.Places).Replace(",", "\\,", StringComparison.Ordinal)}",
        ];
        if (number % 6 == 0)
            lines.Add("RRULE:FREQ=WEEKLY;COUNT=12");
        if (number % 5 == 0)
        {
            lines.Add($"ORGANIZER;CN=Harbour desk:mailto:{(number % 2 == 0 ? account : "desk1@saltmarsh.example")}");
            lines.Add($"ATTENDEE;PARTSTAT=ACCEPTED;CN=Crew:mailto:{account}");
            lines.Add("ATTENDEE;PARTSTAT=NEEDS-ACTION;CN=Pilot station:mailto:pilots@northquay.example");
        }
        if (number % 4 == 0)
            lines.AddRange(["BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:Soon", "TRIGGER:-PT15M", "END:VALARM"]);
        calendar.Put($"{number}.ics", Calendar("VEVENT", lines));
    }

    private void Task(StandInCollection calendar)
    {
        var number = ++_made;
        calendar.Put(
            $"{number}.ics",
            Calendar("VTODO", [$"UID:lantern-task-{number}", "DTSTAMP:20260101T080000Z", $"SUMMARY:{Any(_words.Tasks)}"])
        );
    }

    private static string Calendar(string component, IEnumerable<string> lines) =>
        string.Concat(
            new[] { "BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Lanternpost//Calendar//EN", $"BEGIN:{component}" }
                .Concat(lines)
                .Concat([$"END:{component}", "END:VCALENDAR"])
                .Select(l => $"{l}\r\n")
        );
}
