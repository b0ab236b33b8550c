using System.Globalization;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>A spreadsheet that grew over years, carried into an address book that has half of it.</summary>
public sealed class SpreadsheetTests(DavServers servers) : IClassFixture<DavServers>
{
    [Theory]
    [InlineData(DavMake.Cyrus, "merge")]
    [InlineData(DavMake.Radicale, "pair")]
    public Task It_is_carried_as_the_dry_run_said(DavMake make, string doubles) => CarryAsync(make, doubles, contacts: 240);

    [Theory(Explicit = true)]
    [InlineData(DavMake.Cyrus, "merge")]
    [InlineData(DavMake.Xandikos, "merge")]
    [InlineData(DavMake.Radicale, "pair")]
    public Task Two_thousand_are_carried_as_the_dry_run_said(DavMake make, string doubles) => CarryAsync(make, doubles, contacts: 2000);

    private async Task CarryAsync(DavMake make, string doubles, int contacts)
    {
        var person = await servers.NewPersonAsync();
        using var there = servers.Witness(make, person);
        var home = DavServers.HomeOf(make, person, contacts: true);
        if (make is DavMake.Radicale)
            await there.MakeAsync($"{home}mine/", "Contacts", contacts: true);
        var (book, title) = (await there.CollectionsAsync(home, contacts: true))[0];
        await Parallel.ForEachAsync(Enumerable.Range(0, contacts / 2), new ParallelOptions { MaxDegreeOfParallelism = 8 }, async (i, _) =>
            Assert.InRange(await there.PutAsync($"{book}mine-{i}.vcf", Mine(i), contacts: true), 200, 299)
        );
        var folder = Directory.CreateTempSubdirectory("caravan-lists").FullName;
        Directory.CreateDirectory(Path.Combine(folder, "lists"));
        var list = Path.Combine(folder, "lists", $"{person}.csv");
        await File.WriteAllBytesAsync(list, Sheet(contacts, shift: 0));
        await File.WriteAllTextAsync(Path.Combine(folder, "crew.csv"), DavServers.Roster([person]));
        await File.WriteAllTextAsync(Path.Combine(folder, "plan.yaml"), Plan(servers.AddressOf(make), title, doubles));

        await using var service = await TestService.StartAsync();
        Assert.Equal(0, (await service.RunAsync("plan", "apply", Path.Combine(folder, "plan.yaml"))).Code);
        var surveyed = await service.RunAsync("survey", "crew", "--wait");
        Assert.True(surveyed.Code is 0 or 3, surveyed.Error);
        var told = (await service.ListAllAsync<CollectionLandingView>("batches/crew/collections")).Single().Forecast!;
        var lines = await service.ListAllAsync<ItemForecastView>("batches/crew/preview");
        // Each line of the sheet is told of once.
        var numbers = lines.SelectMany(l => l.Place!.Split(' ', 2)[1].Split(", ").Select(n => int.Parse(n, CultureInfo.InvariantCulture)));
        Assert.Equal(Enumerable.Range(2, LinesOf(contacts)), numbers.Order());
        Assert.Equal(1, told.Unreadable);
        Assert.True(
            told.New == contacts / 2 && told.Same > contacts / 10 && (told.Merge > contacts / 10) == (doubles == "merge"),
            $"{told}"
        );

        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");
        var waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0].Total;
        var waits = lines.Count(l => l.Why?.Contains("wait for you", StringComparison.Ordinal) is true);
        Assert.Equal(
            (told.New + told.Unclear - waits, told.Same + told.Merge, told.Unreadable + waits),
            (waybill.Carried, waybill.Paired, waybill.LeftBehind)
        );
        Assert.Equal(waybill.Found, waybill.Carried + waybill.Paired + waybill.LeftBehind);
        var now = (await there.GetAllAsync(book)).Values.Select(t => new PlainItem(t)).ToList();
        Assert.Equal(contacts / 2 + waybill.Carried, now.Count);
        // Nobody is there twice under one address, and whoever was merged has both numbers.
        foreach (var line in lines.Where(l => l.Forecast is ItemForecastWord.Merge).Take(50))
            Assert.Contains(now.Single(c => c.Lines.Any(s => s.EndsWith($":{line.Whom}", StringComparison.OrdinalIgnoreCase))).Lines, s =>
                s.StartsWith("TEL", StringComparison.Ordinal)
            );

        // The same sheet again, in another order and with one number changed: one contact is written.
        await File.WriteAllBytesAsync(list, Sheet(contacts, shift: 1));
        Assert.Equal(0, (await service.RunAsync("plan", "apply", Path.Combine(folder, "plan.yaml"))).Code);
        await service.RunAsync("catch-up", "crew");
        await service.UntilInStepAsync("crew");
        var after = (await there.GetAllAsync(book)).Values.ToList();
        Assert.Equal(now.Count, after.Count);
        Assert.Contains(after, c => c.Contains("+353 1 999 0000", StringComparison.Ordinal));
        Directory.Delete(folder, recursive: true);
    }

    private static string Plan(Uri to, string book, string doubles) =>
        $$"""
            services:
              spreadsheets:
                contacts: {speaks: csv, file: "lists/{account}.csv"}
              northquay:
                contacts: {speaks: carddav, url: "{{to}}", security: none}
            routes:
              crossing: {from: spreadsheets, to: northquay, contacts: {collections: [{match: "*", to: "{{book}}"}], doubles: {{doubles}} } }
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    /// <summary>As the person has them already: of every third the number, of all the address.</summary>
    private static string Mine(int i) =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:mine-{i}\r\nFN:Zoë Sailor {i}\r\nN:Sailor {i};Zoë;;;\r\nEMAIL:Z{i}@Saltmarsh.example\r\n"
        + (i % 3 == 0 ? $"TEL;TYPE=CELL:+3531555{i:0000}\r\n" : "")
        + "END:VCARD\r\n";

    /// <summary>Lines of the sheet below its header.</summary>
    private static int LinesOf(int contacts) => contacts + contacts / 20 + 1;

    /// <summary>
    /// In an old encoding with semicolons: accents left out here and there, names the wrong way round, numbers written anyhow, people who
    /// stand there twice, and a line that names nobody.
    /// </summary>
    private static byte[] Sheet(int contacts, int shift)
    {
        var rows = new List<string>();
        for (var i = 0; i < contacts; i++)
        {
            var name = (i % 4) switch
            {
                0 => $"Zoë Sailor {i}",
                1 => $"Zoe Sailor {i}",
                2 => $"\"Sailor {i}, Zoë\"",
                _ => $"  zoë   sailor {i} ",
            };
            var number =
                shift > 0 && i == contacts - 1 ? "+353 1 999 0000"
                : i % 2 == 0 ? $"01 555 {i:0000}"
                : $"+353 (1) 555-{i:0000}";
            rows.Add($"{name};{(i % 5 == 0 ? $"Z{i}@SALTMARSH.example" : $"z{i}@saltmarsh.example")};{number}");
            if (i % 20 == 0)
                rows.Add($"Zoë Sailor {i};z{i}@saltmarsh.example;");
        }
        rows.Add(";;");
        // A line of blanks is nobody, and is not told of; this one has something in it.
        rows[^1] = ";;-";
        if (shift > 0)
            rows.Reverse();
        var text = "Kontakt;E-Mail-Adresse;Handy\r\n" + string.Concat(rows.Select(r => $"{r}\r\n"));
        return CodePagesEncodingProvider.Instance.GetEncoding(1252)!.GetBytes(text);
    }
}
