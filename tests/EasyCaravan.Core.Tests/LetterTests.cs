using System.Collections.Immutable;
using CsCheck;
using EasyCaravan.Core.Notifying;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>Letters in every language, from our templates and from others.</summary>
public sealed class LetterTests
{
    private static readonly Dictionary<string, object?> s_facts = new()
    {
        ["person"] = new Dictionary<string, object?>
        {
            ["name"] = "Orla <b>Fenwick</b>",
            ["account"] = "orla@lanternpost.example",
            ["to_account"] = "orla@northquay.example",
        },
        ["batch"] = "deckhands",
        ["from_service"] = "lanternpost",
        ["to_service"] = "northquay",
        ["starts"] = "Monday",
        ["crosses"] = "Friday",
        ["kind"] = "messages",
        ["items"] = "1,204",
        ["people"] = 3m,
        ["cause"] = "the sign-in was refused",
        ["remedy"] = "Set the right password",
        ["names"] = new List<object?> { "Orla", "Aoife" },
        ["more"] = 1m,
        ["day"] = "today",
        ["needing"] = 2m,
        ["needs"] = new List<object?>
        {
            new Dictionary<string, object?>
            {
                ["what"] = "w",
                ["remedy"] = "r",
                ["people"] = 2m,
            },
        },
        ["batches"] = new List<object?>
        {
            new Dictionary<string, object?>
            {
                ["name"] = "deckhands",
                ["doing"] = "d",
                ["in_step"] = 1m,
                ["people"] = 2m,
            },
        },
        ["next"] = new List<object?> { "deckhands: catch-up" },
        ["settings"] = new List<object?>
        {
            new Dictionary<string, object?>
            {
                ["what"] = "IMAP",
                ["host"] = "imap.northquay.example",
                ["port"] = 993m,
                ["security"] = "SSL/TLS",
            },
        },
        ["help"] = "Call 100.",
        ["console"] = "https://caravan.saltmarsh.example/",
    };

    public static TheoryData<NoticeEvent, string> All()
    {
        var all = new TheoryData<NoticeEvent, string>();
        foreach (var about in NoticeEvents.All)
        foreach (var language in LetterTemplates.Languages)
            all.Add(about, language);
        return all;
    }

    [Theory]
    [MemberData(nameof(All))]
    public async Task Ours_are_there_in_every_language_and_leave_nothing_open(NoticeEvent about, string language)
    {
        var letter = await LetterTemplates.WriteAsync(about, language, s_facts, OwnTemplates.None);
        Assert.NotEqual("", letter.Subject);
        Assert.DoesNotContain('{', letter.Subject + letter.Text);
        Assert.DoesNotContain("\n\n\n", letter.Text, StringComparison.Ordinal);
        Assert.DoesNotContain("<b>", letter.Html, StringComparison.Ordinal);
        Assert.Contains($"lang=\"{language}\"", letter.Html, StringComparison.Ordinal);
        if (about is NoticeEvent.Crossed or NoticeEvent.Crosses)
            Assert.Contains("<li>IMAP", letter.Html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_batchs_own_template_goes_before_the_plans_and_a_subject_is_one_line()
    {
        static OwnTemplates Own(string text) => new(ImmutableDictionary<string, string>.Empty.Add("done.en.txt", text));
        var letter = await LetterTemplates.WriteAsync(
            NoticeEvent.Done,
            "en",
            new Dictionary<string, object?> { ["batch"] = "a\u0007b" },
            Own("Subject: {{ batch }} is home\n\nHi\n"),
            Own("Subject: other\n")
        );
        Assert.Equal(("ab is home", "Hi\n"), (letter.Subject, letter.Text));
    }

    [Fact]
    public async Task A_template_without_end_ends()
    {
        const string Rounds =
            "Subject: x\n{% for a in names %}{% for b in names %}{% for c in names %}{{ c }}{% endfor %}{% endfor %}{% endfor %}";
        var own = new OwnTemplates(ImmutableDictionary<string, string>.Empty.Add("done.en.txt", Rounds));
        var facts = new Dictionary<string, object?> { ["names"] = Enumerable.Range(0, 1000).Select(i => $"p{i}").ToList() };
        await Assert.ThrowsAsync<InvalidOperationException>(() => LetterTemplates.WriteAsync(NoticeEvent.Done, "en", facts, own));
        // A range would be made whole before its first step is counted.
        Assert.Contains(
            "ranges",
            LetterTemplates.ErrorIn("done.en.txt", "Subject: x\n{% if a %}{% for i in (1..1000000000) %}{{ i }}{% endfor %}{% endif %}"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Whatever_a_template_holds_it_is_taken_or_refused_with_a_reason() =>
        Gen.String.Sample(text => LetterTemplates.ErrorIn("done.en.txt", text) is null or { Length: > 0 }, iter: 2_000);

    [Theory]
    [InlineData("en", "Friday, 12 February 2027 at 18:00")]
    [InlineData("de", "Freitag, 12. Februar 2027 um 18:00 Uhr")]
    [InlineData("fr", "vendredi 12 février 2027 à 18:00")]
    public void Times_are_said_as_people_say_them(string language, string said) =>
        Assert.Equal(said, LetterWords.Time(new LocalDateTime(2027, 2, 12, 18, 0), language));

    private static string Plan(string notices, string batch = "") =>
        $$"""
            services:
              a: {mail: {speaks: imap, host: a.example} }
              b: {mail: {speaks: imap, host: b.example} }
            routes: {r: {from: a, to: b} }
            batches: {crew: {route: r, roster: crew.csv{{batch}}} }
            notices:
            {{notices}}
            """;

    private static (Plan? Plan, ImmutableArray<PlanError> Errors) Read(
        string plan,
        string roster = "name,from_account,to_account\nA,a@x.example,a@y.example\n"
    ) => PlanFile.Read(new PlanBundle("plan.yaml", plan, new Dictionary<string, string> { ["crew.csv"] = roster }));

    [Fact]
    public void What_the_plan_says_of_notices_is_read()
    {
        var (plan, errors) = Read(
            Plan(
                """
                  from: "Desk <desk@y.example>"
                  sending: {speaks: smtp, host: smtp.y.example, security: starttls}
                  administrators: {to: [ops@x.example], digest-at: "06:15"}
                  people: {about: [crossed], days-before: 5}
                """,
                ", notices: {people: false}"
            ),
            "name,from_account,to_account,language,notify\nA,a@x.example,a@y.example,fr,desk@x.example\n"
        );
        Assert.Empty(errors);
        var notices = plan!.Notices!;
        Assert.Equal(
            ("smtp.y.example", 587, new LocalTime(6, 15), 5),
            (notices.Sending!.Host, notices.Sending.Port, notices.DigestAt, notices.DaysBefore)
        );
        Assert.Equal([NoticeEvent.Digest, NoticeEvent.NeedsYou, NoticeEvent.InStep, NoticeEvent.Done], notices.ToAdministrators);
        Assert.False(plan.Batches[0].Notices.ToPeople);
        Assert.Equal(("fr", "desk@x.example"), (plan.Batches[0].People[0].Language, plan.Batches[0].People[0].Notify));
    }

    [Theory]
    [InlineData("  administrators: {to: [ops@x.example]}", "to send notices it needs 'from'")]
    [InlineData("  from: desk\n  sending: {speaks: smtp, host: h}", "'desk' is no sender")]
    [InlineData("  administrators: {to: [nobody]}", "cannot be 'nobody'")]
    [InlineData(
        "  from: d@y.example\n  sending: {speaks: smtp, host: h}\n  people: {about: [digest]}",
        "'digest' is not for the people who move"
    )]
    [InlineData(
        "  from: d@y.example\n  sending: {speaks: smtp, host: h, security: none}\n  sign-in: {login: d, secret: {file: f}}",
        "the secret would go unprotected"
    )]
    [InlineData("  webhooks: [{name: w, url: \"ftp://x\", secret: {file: f}}]", "cannot be 'ftp://x'")]
    [InlineData("  templates: [notices/hello.en.txt]", "'hello.en.txt' is not the name of a template")]
    [InlineData("  templates: [notices/done.en.txt]", "the file 'notices/done.en.txt' was not found")]
    [InlineData("  zone: Europe/Dublim", "did you mean")]
    public void What_is_wrong_with_notices_is_said_with_its_place(string notices, string error)
    {
        var (_, errors) = Read(Plan(notices));
        var found = Assert.Single(errors, e => $"{e.What} {e.Allowed}".Contains(error, StringComparison.OrdinalIgnoreCase));
        Assert.True(found.Line >= 6, $"line {found.Line}");
    }
}
