using System.Text.Json;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Tests;

public sealed class PlanFileTests
{
    private const string Sound = """
        services:
          lanternpost:
            mail: {speaks: imap, host: imap.lanternpost.example, port: 993, security: tls}
            limits: {connections: 20, per-account: 4, largest-message: 50MB}
          northquay:
            mail: {speaks: imap, host: imap.northquay.example}
        routes:
          harbour-crossing:
            from: lanternpost
            to: northquay
            carry: [mail]
            folders:
              - {match: "Trash", leave: true}
              - {match: "Projects/**", to: "Work/**"}
              - {match: {use: sent}, to: {use: sent}}
            mail: {since: 2015-01-01, largest: 25MB}
            doubles: pair
        batches:
          deckhands:
            route: harbour-crossing
            roster: deckhands.csv
            timetable:
              zone: Europe/Dublin
              windows: [{days: mon-fri, from: "19:00", to: "07:00"}, {days: sat-sun}]
              catch-up-every: 6h
        """;

    private const string Roster = "name,from_account,to_account\nAoife Marsh,aoife@saltmarsh.example,aoife@saltmarsh.example\n";

    private static (Plan? Plan, IReadOnlyList<PlanError> Errors) Read(string plan, string roster = Roster)
    {
        var (read, errors) = PlanFile.Read(
            new PlanBundle("plan.yaml", plan, new Dictionary<string, string> { ["deckhands.csv"] = roster })
        );
        return (read, errors);
    }

    [Fact]
    public void A_sound_plan_is_read_whole()
    {
        var (plan, errors) = Read(Sound);
        Assert.Empty(errors);
        Assert.Equal(new ByteCount(50_000_000), plan!.Services[0].Limits.LargestMessage);
        Assert.Equal((993, Security.Tls), (plan.Services[1].Mail!.Port, plan.Services[1].Mail!.Security));
        Assert.Equal(3, plan.Routes[0].Folders.Length);
        Assert.Equal("Aoife Marsh", plan.Batches[0].People[0].Name);
        Assert.Equal(6, plan.Batches[0].Timetable!.CatchUpEvery!.Value.TotalHours);
    }

    [Theory]
    [InlineData("pauses: [{on: 2027-02-30}]", "'2027-02-30' is not a day of the calendar")]
    [InlineData("pauses: [{from: 2027-02-10, to: 2027-02-09}]", "the pause ends before it begins")]
    [InlineData("pauses: [{from: 2027-02-10T12:00, to: 2027-02-10T12:00}]", "the pause ends before it begins")]
    [InlineData("pauses: [{from: 2027-02-10}]", "a pause cannot have from")]
    [InlineData("pauses: [{on: 2027-02-10, last-of-month: 2}]", "a pause cannot have last-of-month and on")]
    [InlineData("pauses: [{why: stocktaking}]", "a pause needs days")]
    [InlineData("pauses: [{last-of-month: 14}]", "'last-of-month' cannot be 14")]
    [InlineData("start: 2027-02-12T18:00, cutover: 2027-02-12T17:00", "the cutover is not after the start")]
    [InlineData("start: tomorrow", "'start' cannot be 'tomorrow'")]
    [InlineData("cutover: 2027-02-12T18:00, aftercare: {forwarding-until: 2027-02-12}", "forwarding ends before the cutover")]
    [InlineData("keep-in-step-for: 8w", "nothing is kept in step without catch-ups")]
    public void A_timetable_that_cannot_be_meant_so_is_told_with_its_line(string timetable, string what)
    {
        var plan = Sound[..Sound.IndexOf("      zone:", StringComparison.Ordinal)] + $"      {{zone: Europe/Dublin, {timetable}}}\n";
        var (_, errors) = Read(plan);
        var error = Assert.Single(errors);
        Assert.Contains(what, error.What, StringComparison.Ordinal);
        Assert.Equal(23, error.Line);
    }

    [Fact]
    public void A_whole_timetable_and_what_may_stay_behind_are_read()
    {
        var plan = Sound.Replace(
            "      catch-up-every: 6h",
            """
                  catch-up-every: 6h
                  pauses: [{on: 2027-03-17}, {from: 2026-12-24, to: 2027-01-02T12:00, why: Christmas}, {first-of-month: 1}]
                  start: 2027-01-11T19:00
                  keep-in-step-for: 8w
                  cutover: 2027-02-12T18:00
                  aftercare: {forwarding-until: 2028-02-12, stragglers-every: 1d}
            """,
            StringComparison.Ordinal
        );
        var (read, errors) = Read(
            plan.Replace(
                "    doubles: pair",
                "    doubles: pair\n    left-behind-tolerance: {items: 3, share: 0.1%}",
                StringComparison.Ordinal
            )
        );
        Assert.Empty(errors);
        var timetable = read!.Batches[0].Timetable!;
        Assert.Equal(
            [
                new FixedPause(new LocalDateTime(2027, 3, 17, 0, 0), new LocalDateTime(2027, 3, 18, 0, 0), null),
                new FixedPause(new LocalDateTime(2026, 12, 24, 0, 0), new LocalDateTime(2027, 1, 2, 12, 0), "Christmas"),
                new MonthlyPause(1, AtEnd: false, null),
            ],
            timetable.Pauses.ToArray()
        );
        Assert.Equal((56, "2027-02-12T18:00:00"), (timetable.KeepInStepFor!.Value.TotalDays, timetable.Cutover!.Value.ToString("s", null)));
        Assert.Equal(new LeftBehindTolerance(3, 0.001), read.Routes[0].Tolerance);
        Assert.True(read.Routes[0].Tolerance.Covers(3, 3000));
        Assert.False(read.Routes[0].Tolerance.Covers(3, 2999));
    }

    [Theory]
    [InlineData(
        "speaks: imap, host: imap.lanternpost",
        "speeks: imap, host: imap.lanternpost",
        3,
        "'speeks' is not known in 'mail'; did you mean 'speaks'?",
        "speaks, file, dialect, unmarked, host, port, security"
    )]
    [InlineData("security: tls", "security: ssl", 3, "'security' cannot be 'ssl'", "tls, starttls, none")]
    [InlineData("port: 993", "port: 99300", 3, "'port' cannot be 99300", "a port from 1 to 65535")]
    [InlineData(
        "from: lanternpost",
        "from: lanternpots",
        9,
        "'lanternpots' is not a service of this plan; did you mean 'lanternpost'?",
        "one of lanternpost, northquay"
    )]
    [InlineData("leave: true", "leave: true, to: X", 13, "a folder rule needs one of leave: true, to:", "leave: true")]
    [InlineData(
        "zone: Europe/Dublin",
        "zone: Europe/Dubin",
        23,
        "'Europe/Dubin' is not a time zone; did you mean 'Europe/Dublin'?",
        "IANA"
    )]
    [InlineData("roster: deckhands.csv", "roster: other.csv", 21, "the file 'other.csv' was not found", "relative to the plan")]
    [InlineData("since: 2015-01-01", "since: 2015-02-31", 16, "'2015-02-31' is not a day of the calendar", "2015-01-01")]
    [InlineData("catch-up-every: 6h", "catch-up-every: often", 25, "'catch-up-every' cannot be 'often'", "30m, 6h or 1d")]
    [InlineData("largest: 25MB", "largest: huge", 16, "'largest' cannot be 'huge'", "25MB")]
    [InlineData("    to: northquay", "    too: northquay", 10, "'too' is not known", "did you mean")]
    public void An_error_names_its_line_what_is_wrong_and_what_is_allowed(
        string sound,
        string broken,
        int line,
        string what,
        string allowed
    )
    {
        var (plan, errors) = Read(Sound.Replace(sound, broken, StringComparison.Ordinal));
        Assert.Null(plan);
        Assert.Contains(errors, e =>
            e.File == "plan.yaml"
            && e.Line == line
            && e.What.Contains(what, StringComparison.Ordinal)
            && (e.Allowed + e.What).Contains(allowed, StringComparison.Ordinal)
        );
    }

    [Fact]
    public void What_is_not_YAML_is_told_with_its_line()
    {
        var (_, errors) = Read("services:\n  a: {mail: [\n");
        Assert.Contains("not YAML", Assert.Single(errors).What, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("name,to_account\nA,a@x\n", 1, "the column from_account is missing")]
    [InlineData("name,from_account,to_account,from_pasword\nA,a@x,a@y,s\n", 1, "the column 'from_pasword' is not known")]
    [InlineData("name,from_account,to_account\nA,a@x,a@y\nB,,b@y\n", 3, "from_account is empty")]
    [InlineData("name,from_account,to_account\nA,a@x,a@y\nB,A@X,b@y\n", 3, "A@X is already moved by")]
    [InlineData("name,from_account,to_account\nA,a@x,a@y\nB,b@x,A@y\n", 3, "A@y already receives the mail of")]
    [InlineData("", 1, "the roster is empty")]
    [InlineData("name,from_account,to_account\n", 1, "the roster names nobody")]
    public void A_roster_error_names_its_line(string roster, int line, string what)
    {
        var (plan, errors) = Read(Sound, roster);
        Assert.Null(plan);
        Assert.Contains(errors, e => e.File == "deckhands.csv" && e.Line == line && e.What.Contains(what, StringComparison.Ordinal));
    }

    [Fact]
    public void All_errors_of_a_roster_come_at_once()
    {
        var (_, errors) = Read(Sound, "name,from_account,to_account\n,a@x,a@y\nB,,b@y\nC,c@x,\n");
        Assert.Equal([2, 3, 4], errors.Select(e => e.Line));
    }

    [Fact]
    public void Columns_stand_in_any_order_with_semicolons_quotes_and_a_mark_at_the_start()
    {
        var (plan, errors) = Read(Sound, "\uFEFFto_account;name;from_account;from_secret\nb@y;\"Marsh; Aoife\";a@x;\"p;\"\"w\"\n");
        Assert.Empty(errors);
        var person = plan!.Batches[0].People[0];
        Assert.Equal(
            ("Marsh; Aoife", "a@x", "b@y", "p;\"w", "a@x"),
            (person.Name, person.FromAccount, person.ToAccount, person.FromSecret, person.FromLogin)
        );
    }

    [Fact]
    public void The_shipped_schema_is_JSON_and_describes_every_section()
    {
        using var schema = JsonDocument.Parse(PlanFile.Schema);
        Assert.Equal(
            ["services", "routes", "batches", "notices"],
            schema.RootElement.GetProperty("properties").EnumerateObject().Select(p => p.Name)
        );
    }

    [Theory]
    [InlineData("25MB", 25_000_000)]
    [InlineData("1.5 GB", 1_500_000_000)]
    [InlineData("512kB", 512_000)]
    [InlineData("900", 900)]
    public void Sizes_are_read_and_written_alike(string text, long octets)
    {
        Assert.True(ByteCount.TryParse(text, out var read));
        Assert.Equal(octets, read.Count);
        Assert.True(ByteCount.TryParse(read.ToString(), out var again));
        Assert.Equal(read, again);
    }

    [Fact]
    public void A_size_is_never_negative_and_never_wraps_around()
    {
        var (small, large) = (new ByteCount(3), new ByteCount(10));
        Assert.Throws<ArgumentOutOfRangeException>(() => new ByteCount(-1));
        Assert.Throws<OverflowException>(() => new ByteCount(long.MaxValue) + small);
        Assert.Equal((ByteCount.Zero, new ByteCount(7)), (small.Less(large), large.Less(small)));
        Assert.Equal((new ByteCount(7), new ByteCount(7)), (small.DistanceTo(large), large.DistanceTo(small)));
        Assert.Equal("10", System.Text.Json.JsonSerializer.Serialize(large));
        Assert.Equal(large, System.Text.Json.JsonSerializer.Deserialize<ByteCount>("10"));
        Assert.Throws<System.Text.Json.JsonException>(() => System.Text.Json.JsonSerializer.Deserialize<ByteCount>("-10"));
    }
}
