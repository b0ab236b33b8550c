using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Core.Notifying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Service.Notifying;

/// <summary>What a notice tells, in the words of its language.</summary>
internal sealed class NoticeFacts(Plan plan, Notices notices, string language)
{
    /// <summary>People named in a notice; the count tells of the others.</summary>
    private const int MostNamed = 20;

    /// <summary>How much of a day is told in a digest.</summary>
    private const int MostNext = 10;

    private static readonly string[] s_inStep = ["in-step", "crossing", "settling", "done"];

    private readonly Dictionary<string, object?> _facts = new() { ["help"] = notices.Help, ["console"] = notices.Console?.ToString() };

    public string Json => JsonSerializer.Serialize(_facts);

    /// <summary>As templates take them.</summary>
    public static IReadOnlyDictionary<string, object?> Read(string json)
    {
        using var document = JsonDocument.Parse(json);
        return (Dictionary<string, object?>)Plain(document.RootElement)!;
    }

    private static object? Plain(JsonElement value) =>
        value.ValueKind switch
        {
            JsonValueKind.Object => value.EnumerateObject().ToDictionary(p => p.Name, p => Plain(p.Value)),
            JsonValueKind.Array => value.EnumerateArray().Select(Plain).ToList(),
            JsonValueKind.String => value.GetString(),
            JsonValueKind.Number => value.GetDecimal(),
            JsonValueKind.True => true,
            JsonValueKind.False => false,
            _ => null,
        };

    public NoticeFacts Batch(Batch batch)
    {
        var route = plan.RouteOf(batch);
        _facts["batch"] = batch.Name;
        _facts["from_service"] = route.From;
        _facts["to_service"] = route.To;
        var timetable = batch.Timetable;
        _facts["starts"] = timetable?.Start is { } start ? LetterWords.Time(start, language) : null;
        _facts["crosses"] = timetable?.Cutover is { } cutover ? LetterWords.Time(cutover, language) : null;
        _facts["settings"] = SettingsOf(plan.Services.First(s => s.Name == route.To));
        if (notices.Console is { } console)
            _facts["console"] = new Uri(console, $"batches/{Uri.EscapeDataString(batch.Name)}").ToString();
        return this;
    }

    public NoticeFacts Person(MoveRow move)
    {
        _facts["person"] = new Dictionary<string, object?>
        {
            ["name"] = move.Name,
            ["account"] = move.FromAccount,
            ["to_account"] = move.ToAccount,
        };
        // A person has no way into the console.
        _facts["console"] = null;
        return this;
    }

    public NoticeFacts Kind(Kind kind, long items)
    {
        _facts["kind"] = LetterWords.Of(kind, language);
        _facts["items"] = LetterWords.Number(items, language);
        return this;
    }

    public NoticeFacts People(long people)
    {
        _facts["people"] = people;
        return this;
    }

    public NoticeFacts Need(NeedsYou need, IReadOnlyList<MoveRef> own, int people)
    {
        (_facts["cause"], _facts["remedy"], _facts["people"]) = (need.What, need.Remedy, people);
        _facts["names"] = own.Take(MostNamed).Select(m => $"{m.Name} ({m.Account})").ToList();
        _facts["more"] = people - Math.Min(own.Count, MostNamed);
        return this;
    }

    public NoticeFacts Day(LocalDate day, IReadOnlyList<BatchView> batches, IReadOnlyList<NeedsYou> needs, IReadOnlyList<Upcoming> next)
    {
        _facts["day"] = LetterWords.Day(day, language);
        _facts["batches"] = batches
            .Select(b => new Dictionary<string, object?>
            {
                ["name"] = b.Name,
                ["doing"] = b.Doing,
                ["people"] = b.People,
                ["in_step"] = s_inStep.Sum(s => b.Stages.GetValueOrDefault(s)),
            })
            .ToList();
        _facts["needs"] = needs
            .Select(n => new Dictionary<string, object?>
            {
                ["what"] = n.What,
                ["remedy"] = n.Remedy,
                ["people"] = n.Count,
            })
            .ToList();
        _facts["needing"] = needs.Sum(n => n.Count);
        _facts["next"] = next.Take(MostNext)
            .Select(u =>
                $"{u.Batch}: {u.What}, {LetterWords.Time(Instant.FromDateTimeOffset(u.At).InZone(notices.Zone).LocalDateTime, language)}"
            )
            .ToList();
        return this;
    }

    /// <summary>What people put into their programs.</summary>
    private static List<Dictionary<string, object?>> SettingsOf(Core.Planning.Service service)
    {
        var settings = new List<Dictionary<string, object?>>();
        void Add(string what, string host, int? port, string? security) =>
            settings.Add(
                new Dictionary<string, object?>
                {
                    ["what"] = what,
                    ["host"] = host,
                    ["port"] = port,
                    ["security"] = security,
                }
            );
        if (service.Mail is { } mail)
            Add("IMAP", mail.Host, mail.Port, LetterWords.Of(mail.Security));
        if (service.Sending is { } sending)
            Add("SMTP", sending.Host, sending.Port, LetterWords.Of(sending.Security));
        if (service.Contacts is CollectionConnection.Dav contacts)
            Add("CardDAV", contacts.Url.ToString(), null, null);
        if (service.Calendars is CollectionConnection.Dav calendars)
            Add("CalDAV", calendars.Url.ToString(), null, null);
        return settings;
    }
}
