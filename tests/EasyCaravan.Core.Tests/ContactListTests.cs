using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats.Csv;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Tests;

/// <summary>Contacts and events that lie in files: what columns hold, who stands on which line, and that nothing of it gets lost.</summary>
public sealed class ContactListTests
{
    private static readonly Dictionary<string, ColumnUse> s_nothing = [];

    private static ItemFile ReadCsv(string text, params (string Header, string Use)[] said) =>
        Read(ItemFileFormat.Csv, Encoding.UTF8.GetBytes(text), said);

    private static ItemFile Read(ItemFileFormat format, byte[] octets, params (string Header, string Use)[] said) =>
        ItemFile.Read(format, "lists/a.csv", octets, said.ToDictionary(s => s.Header, s => ColumnUse.Parse(s.Use)!.Value));

    private static string CardOf(FileItem item) => Encoding.UTF8.GetString(item.Octets.Span).Replace("\r\n ", "", StringComparison.Ordinal);

    [Theory]
    [InlineData(
        "First Name,Last Name,E-mail Address,Mobile Phone,Business Phone,Home Street",
        "given family email phone-mobile phone-work street-home"
    )]
    [InlineData(
        "Vorname;Name;E-Mail;Telefon privat;Handy;PLZ;Ort;Straße;Firma",
        "given family email phone-home phone-mobile postcode city street organisation"
    )]
    [InlineData("Nom\tPrénom\tCourriel\tTéléphone\tSociété\tCode postal", "family given email phone organisation postcode")]
    [InlineData("Nombre,Apellidos,Correo electrónico,Móvil,Empresa", "given family email phone-mobile organisation")]
    [InlineData("Name|Phone 1 - Type|Phone 1 - Value|Berth", "name type phone note")]
    [InlineData("Naam,Voornaam,Telefoon,Geboortedatum", "family given phone birthday")]
    public void Columns_are_known_by_their_headers(string header, string holds)
    {
        var table = ContactTable.Read(Encoding.UTF8.GetBytes($"{header}\n{new string(',', 0)}"), s_nothing);
        Assert.Equal(holds.Split(' '), table.Columns.Select(c => c.Use.ToString()));
    }

    [Fact]
    public void Columns_without_header_are_known_by_what_is_in_them()
    {
        var file = ReadCsv("Maeve Harrow;maeve@saltmarsh.example;+353 1 555 0142\nRory Dunmore;rory@saltmarsh.example;01 555 0143\n");
        Assert.False(file.Table!.HasHeader);
        Assert.Equal(["name", "email", "phone"], file.Table.Columns.Select(c => c.Use.ToString()));
        Assert.Contains("FN:Maeve Harrow\r\nN:Harrow;Maeve;;;\r\n", CardOf(file.Items[0]), StringComparison.Ordinal);
    }

    [Fact]
    public void What_somebody_said_of_a_column_outweighs_what_it_looks_like()
    {
        var file = ReadCsv("Name,Number\nMaeve,+353 1 555 0142\n", ("Number", "note"));
        Assert.Contains("NOTE:Number: +353 1 555 0142", CardOf(file.Items[0]), StringComparison.Ordinal);
        Assert.DoesNotContain("TEL", CardOf(file.Items[0]), StringComparison.Ordinal);
        Assert.Equal([true, false], file.Table!.Columns.Select(c => c.IsGuessed));
    }

    [Theory]
    [InlineData("utf-8", false)]
    [InlineData("utf-8", true)]
    [InlineData("utf-16", true)]
    [InlineData("utf-16", false)]
    [InlineData("utf-16BE", true)]
    [InlineData("windows-1252", false)]
    public void Its_encoding_is_found_out(string encoding, bool hasMark)
    {
        var code = CodePagesEncodingProvider.Instance.GetEncoding(encoding) ?? Encoding.GetEncoding(encoding);
        byte[] octets = [.. hasMark ? code.GetPreamble() : [], .. code.GetBytes("Name;E-Mail\nZoë Brückner;zoe@saltmarsh.example\n")];
        var file = Read(ItemFileFormat.Csv, octets);
        Assert.Contains("FN:Zoë Brückner", CardOf(Assert.Single(file.Items)), StringComparison.Ordinal);
    }

    [Fact]
    public void Lines_about_one_contact_become_one_unless_they_contradict_each_other()
    {
        var file = ReadCsv(
            """
            Name,Email,Phone,Company,Notes
            Maeve Harrow,maeve@saltmarsh.example,,Saltmarsh Ferries,
            "Harrow, Maeve",MAEVE@saltmarsh.example,+353 1 555 0142,,"Two
            lines"
            Maeve Harrow,maeve@saltmarsh.example,,Another Line,
            ,,,,
            ,,,,nobody
            """
        );
        Assert.Equal(
            [
                [2, 3],
                [5],
                [7],
            ],
            file.Items.Select(i => i.Lines.ToArray())
        );
        var card = CardOf(file.Items[0]);
        Assert.Contains("TEL:+353 1 555 0142", card, StringComparison.Ordinal);
        Assert.Contains("NOTE:Two\\nlines", card, StringComparison.Ordinal);
        Assert.Contains("ORG:Another Line", CardOf(file.Items[1]), StringComparison.Ordinal);
        Assert.Contains("line 7: the line names nobody", file.Items[2].Fault, StringComparison.Ordinal);
    }

    [Fact]
    public void Broken_lines_are_named_and_the_others_are_read()
    {
        var file = ReadCsv(
            "sep=;\nName;Email\nMaeve;m@saltmarsh.example\nRory;r@saltmarsh.example;extra;more\nUna \"the\" Pike;u@saltmarsh.example\n"
        );
        Assert.Equal(1, file.Items.Count(i => i.Fault is null && i.Lines[0] == 3));
        var fault = Assert.Single(file.Items, i => i.Lines[0] == 4);
        Assert.Contains("4 fields, the header 2", fault.Fault, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("29.02.1984", "BDAY:1984-02-29")]
    [InlineData("1984-02-29", "BDAY:1984-02-29")]
    [InlineData("02/29/1984", "BDAY:1984-02-29")]
    [InlineData("29/02/1984", "BDAY:1984-02-29")]
    [InlineData("03/04/1984", "NOTE:Birthday: 03/04/1984")]
    [InlineData("spring 1984", "NOTE:Birthday: spring 1984")]
    public void A_birthday_is_never_guessed(string written, string line) =>
        Assert.Contains(line, CardOf(ReadCsv($"Name,Birthday\nMaeve,{written}\n").Items[0]), StringComparison.Ordinal);

    [Fact]
    public void A_contact_is_known_again_when_the_list_is_sent_anew_with_another_number_and_in_another_order()
    {
        var before = ReadCsv("Name,Phone\nMaeve,+353 1 555 0142\nRory,+353 1 555 0143\n").Items;
        var after = ReadCsv("Name,Phone\nRory,+353 1 555 0143\nMaeve,+353 1 555 9999\n").Items;
        Assert.Equal(before.Select(i => i.Key), after.Select(i => i.Key).Reverse());
        Assert.Equal(before[1].Octets.ToArray(), after[0].Octets.ToArray());
    }

    [Fact]
    public void Every_cell_of_every_line_stands_in_the_contact_of_that_line()
    {
        var cell = Gen.Char["abcXYZ019 äß,;\"\\:\n'@+-."].Array[0, 12].Select(c => new string(c).Trim());
        Gen.Select(cell.Array[4], cell.Array[4], cell.Array[4])
            .Sample(
                (one, two, three) =>
                {
                    string Quote(string value) => $"\"{value.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
                    string[][] rows = [one, two, three];
                    var text = "Name,Email,Berth,Company\n" + string.Concat(rows.Select(r => $"{string.Join(',', r.Select(Quote))}\n"));
                    var file = ReadCsv(text);
                    var lines = file.Items.SelectMany(i => i.Lines).Order().ToList();
                    var expected = rows.Count(r => r.Any(c => c.Length > 0));
                    if (lines.Count != expected || lines.Distinct().Count() != expected)
                        return false;
                    var plain = file.Items.Select(i => Plain(CardOf(i) + Encoding.UTF8.GetString(i.Octets.Span))).ToList();
                    return rows.All(r =>
                        r.All(c => c.Length == 0) || plain.Any(p => r.All(c => p.Contains(Plain(c), StringComparison.Ordinal)))
                    );
                }
            );
        // However it is escaped, parted and folded: letters and digits are all there.
        static string Plain(string text) =>
            string.Concat(text.Replace("\\n", "", StringComparison.Ordinal).Where(char.IsLetterOrDigit).Select(char.ToLowerInvariant));
    }

    [Fact]
    public void A_file_of_vCards_is_parted_as_it_stands_and_cards_that_stand_there_twice_are_one()
    {
        const string One =
            "BEGIN:VCARD\r\nVERSION:3.0\r\nUID:1\r\nFN:One\r\nAGENT:\r\nBEGIN:VCARD\r\nFN:Agent\r\nEND:VCARD\r\nEND:VCARD\r\n";
        const string Two = "BEGIN:VCARD\r\nVERSION:2.1\r\nN:Two\r\nNOTE;ENCODING=QUOTED-PRINTABLE:a=\r\nb\r\nEND:VCARD\r\n";
        const string Cut = "BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Cut";
        var file = Read(ItemFileFormat.Vcard, Encoding.UTF8.GetBytes($"\uFEFF{One}\r\n{Two}{One}{Cut}"));
        Assert.Equal([One, Two, Cut], file.Items.Select(i => Encoding.UTF8.GetString(i.Octets.Span)));
        Assert.Equal(
            [
                [1, 17],
                [11],
                [26],
            ],
            file.Items.Select(i => i.Lines.ToArray())
        );
        Assert.Contains("does not end", file.Items[2].Fault, StringComparison.Ordinal);
    }

    [Fact]
    public void A_calendar_file_is_parted_by_UID_and_each_event_has_its_time_zone()
    {
        const string File = """
            BEGIN:VCALENDAR
            VERSION:2.0
            PRODID:-//Saltmarsh Ferries//EN
            METHOD:PUBLISH
            X-WR-CALNAME:Sailings
            BEGIN:VTIMEZONE
            TZID:Europe/Dublin
            END:VTIMEZONE
            BEGIN:VTIMEZONE
            TZID:Elsewhere
            END:VTIMEZONE
            BEGIN:VEVENT
            UID:a
            DTSTART;TZID=Europe/Dublin:20270212T080000
            RRULE:FREQ=DAILY
            END:VEVENT
            BEGIN:VEVENT
            UID:b
            SUMMARY:Long
              line
            BEGIN:VALARM
            ACTION:DISPLAY
            END:VALARM
            END:VEVENT
            BEGIN:VEVENT
            UID:a
            RECURRENCE-ID;TZID=Europe/Dublin:20270213T080000
            END:VEVENT
            END:VCALENDAR
            """;
        var file = Read(ItemFileFormat.Icalendar, Encoding.UTF8.GetBytes(File.ReplaceLineEndings("\r\n")));
        Assert.Equal("Sailings", file.Title);
        Assert.Equal(
            [
                [13],
                [18],
            ],
            file.Items.Select(i => i.Lines.ToArray())
        );
        var (a, b) = (Encoding.UTF8.GetString(file.Items[0].Octets.Span), Encoding.UTF8.GetString(file.Items[1].Octets.Span));
        Assert.Contains("TZID:Europe/Dublin", a, StringComparison.Ordinal);
        Assert.DoesNotContain("Elsewhere", a, StringComparison.Ordinal);
        Assert.DoesNotContain("METHOD", a, StringComparison.Ordinal);
        Assert.Equal(2, a.Split("BEGIN:VEVENT").Length - 1);
        Assert.DoesNotContain("VTIMEZONE", b, StringComparison.Ordinal);
        Assert.Contains("SUMMARY:Long\r\n  line\r\nBEGIN:VALARM", b, StringComparison.Ordinal);
    }

    [Fact]
    public void Whatever_octets_a_file_has_it_is_read_or_named_as_unreadable() =>
        Gen.Select(Gen.Byte.Array[0, 300], Gen.Enum<ItemFileFormat>())
            .Sample((octets, format) => Read(format, octets).Items.All(i => i.Lines.Length > 0 && i.Key.Length > 0));
}
