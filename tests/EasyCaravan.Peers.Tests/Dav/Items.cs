namespace EasyCaravan.Peers.Dav;

/// <summary>Contacts and events of all kinds, made up.</summary>
internal static class Items
{
    /// <summary>A picture of one dot.</summary>
    private const string Photo = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==";

    public static IEnumerable<(string File, string Text)> Contacts(string book)
    {
        for (var i = 0; i < 12; i++)
        {
            var uid = $"{book}-c{i}";
            string[] more = i switch
            {
                0 => ["NOTE:Ärmelkanal\\, Fähre\\; Schönes Wetter — 船\\nzweite Zeile"],
                1 => ["ADR;TYPE=HOME:;;1 Quay Street;Saltmarsh;;SM1 1AA;Ireland"],
                2 => [$"PHOTO;ENCODING=b;TYPE=PNG:{Photo}"],
                3 => ["X-SALTMARSH-BERTH:12\\, upper deck"],
                4 => ["item1.URL:https://saltmarsh.example/crew", "item1.X-ABLabel:Crew page"],
                5 => ["CATEGORIES:Crew,Deck", "ORG:Saltmarsh Ferries;Deck"],
                6 => ["BDAY:1980-02-29", "TITLE:First mate"],
                _ => [],
            };
            yield return (
                $"{uid}.vcf",
                Lines([
                    "BEGIN:VCARD",
                    "VERSION:3.0",
                    $"UID:{uid}",
                    $"FN:Sailor {i} of {book}",
                    $"N:{book};Sailor {i};;;",
                    $"EMAIL;TYPE=WORK:{uid}@saltmarsh.example",
                    $"TEL;TYPE=CELL:+353 1 555 01{i:00}",
                    .. more,
                    "END:VCARD",
                ])
            );
        }
        yield return (
            $"{book}-v4.vcf",
            Lines([
                "BEGIN:VCARD",
                "VERSION:4.0",
                $"UID:{book}-v4",
                $"FN:Later version {book}",
                "N:Version;Later;;;",
                $"PHOTO:data:image/png;base64,{Photo}",
                "END:VCARD",
            ])
        );
    }

    public static IEnumerable<(string File, string Text)> Events(string calendar)
    {
        for (var i = 0; i < 10; i++)
        {
            var uid = $"{calendar}-e{i}";
            string[] more = i switch
            {
                3 => ["BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:Cast off", "TRIGGER:-PT15M", "END:VALARM"],
                4 => ["DESCRIPTION:Überfahrt\\, mit Gepäck\\nund Fahrrad", "LOCATION:Pier 4"],
                _ => [],
            };
            string[] times = i switch
            {
                0 => ["DTSTART;VALUE=DATE:20270212", "DTEND;VALUE=DATE:20270213"],
                1 => ["DTSTART:20270212T180000Z", "DTEND:20270212T190000Z", "RRULE:FREQ=WEEKLY;COUNT=10", "EXDATE:20270219T180000Z"],
                2 => ["DTSTART:20200212T180000Z", "DTEND:20200212T190000Z"],
                _ => [$"DTSTART:202703{i + 10}T080000Z", $"DTEND:202703{i + 10}T090000Z"],
            };
            yield return (
                $"{uid}.ics",
                Lines([
                    "BEGIN:VCALENDAR",
                    "VERSION:2.0",
                    "PRODID:-//Saltmarsh Ferries//Timetable//EN",
                    "BEGIN:VEVENT",
                    $"UID:{uid}",
                    "DTSTAMP:20260101T000000Z",
                    .. times,
                    $"SUMMARY:Sailing {i} of {calendar}",
                    .. more,
                    "END:VEVENT",
                    "END:VCALENDAR",
                ])
            );
        }
    }

    public static (string File, string Text) Contact(int i) =>
        (
            $"p{i}.vcf",
            Lines([
                "BEGIN:VCARD",
                "VERSION:3.0",
                $"UID:p{i}",
                $"FN:Passenger {i}",
                $"N:Passenger {i};;;;",
                $"EMAIL:p{i}@saltmarsh.example",
                "END:VCARD",
            ])
        );

    public static (string File, string Text) Event(int i) =>
        (
            $"s{i}.ics",
            Lines([
                "BEGIN:VCALENDAR",
                "VERSION:2.0",
                "PRODID:-//Saltmarsh Ferries//Timetable//EN",
                "BEGIN:VEVENT",
                $"UID:s{i}",
                "DTSTAMP:20260101T000000Z",
                "DTSTART:20270212T180000Z",
                "DTEND:20270212T190000Z",
                $"SUMMARY:Sailing {i}",
                "END:VEVENT",
                "END:VCALENDAR",
            ])
        );

    private static string Lines(IEnumerable<string> lines) => string.Concat(lines.Select(l => $"{l}\r\n"));
}
