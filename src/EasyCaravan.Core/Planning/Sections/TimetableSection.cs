using System.Globalization;
using NodaTime;
using NodaTime.Text;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>timetable:</c> of a batch.</summary>
internal sealed class TimetableSection
{
    private static readonly LocalDateTimePattern s_time = LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm");

    private readonly YamlMappingNode _node;
    private readonly PlanErrors _errors;

    private TimetableSection(YamlMappingNode node, PlanErrors errors) => (_node, _errors) = (node, errors);

    public static Timetable Read(YamlMappingNode node, PlanErrors errors) => new TimetableSection(node, errors).Read();

    private Timetable Read()
    {
        var timetable = new Timetable(
            Zone() ?? DateTimeZone.Utc,
            [.. Entries("windows").Select(ReadWindow)],
            LengthOf(_node, "catch-up-every")
        )
        {
            Pauses = [.. Entries("pauses").Select(ReadPause).OfType<Pause>()],
            Start = TimeOf(_node, "start"),
            KeepInStepFor = LengthOf(_node, "keep-in-step-for"),
            Cutover = TimeOf(_node, "cutover"),
            Aftercare = _node.Section("aftercare") is { } after
                ? new Aftercare(DayOf(after, "forwarding-until"), LengthOf(after, "stragglers-every"))
                : null,
        };
        CheckOrder(timetable);
        return timetable;
    }

    /// <summary>What is well formed by itself and cannot be meant so together.</summary>
    private void CheckOrder(Timetable timetable)
    {
        if (timetable.Cutover <= timetable.Start)
            _errors.Report(_node["cutover"], "the cutover is not after the start", $"a time after {_node.Text("start")}");
        if (timetable.Aftercare?.ForwardingUntil <= timetable.Cutover?.Date)
            _errors.Report(
                _node.Section("aftercare")!["forwarding-until"],
                "forwarding ends before the cutover",
                $"a day after {_node.Text("cutover")}"
            );
        if (timetable.KeepInStepFor is not null && timetable.CatchUpEvery is null)
            _errors.Report(_node["keep-in-step-for"], "nothing is kept in step without catch-ups", "catch-up-every beside it");
    }

    private DateTimeZone? Zone()
    {
        var name = _node.Text("zone")!;
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(name);
        if (zone is null)
            _errors.Report(
                _node["zone"],
                $"'{name}' is not a time zone{Spelling.Suggest(name, DateTimeZoneProviders.Tzdb.Ids)}",
                "a name of the IANA time zone database such as Europe/Dublin"
            );
        return zone;
    }

    private IEnumerable<YamlMappingNode> Entries(string key) =>
        _node.Children.TryGetValue(key, out var list) ? ((YamlSequenceNode)list).Children.Cast<YamlMappingNode>() : [];

    private static Window ReadWindow(YamlMappingNode window)
    {
        return new Window(WeekDays.Read(window.Text("days")!), Time("from"), Time("to"));

        LocalTime Time(string key) =>
            window.Text(key) is { } text ? LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(text).Value : LocalTime.Midnight;
    }

    private Pause? ReadPause(YamlMappingNode pause)
    {
        const string Forms = "one of on: DAY, from: and to:, first-of-month: DAYS, last-of-month: DAYS";
        var keys = pause.Children.Keys.Select(k => ((YamlScalarNode)k).Value!).Where(k => k != "why").Order().ToList();
        var why = pause.Text("why");
        switch (string.Join(' ', keys))
        {
            case "on":
                return DayOf(pause, "on") is { } day ? new FixedPause(day.AtMidnight(), day.PlusDays(1).AtMidnight(), why) : null;
            case "from to":
                // A last day is meant whole.
                var (from, to) = (TimeOrDayOf(pause, "from"), TimeOrDayOf(pause, "to", wholeDay: true));
                if (from >= to)
                    _errors.Report(pause["to"], "the pause ends before it begins", $"a time after {pause.Text("from")}");
                return from < to ? new FixedPause(from.Value, to.Value, why) : null;
            case "first-of-month":
                return new MonthlyPause(pause.Number("first-of-month")!.Value, AtEnd: false, why);
            case "last-of-month":
                return new MonthlyPause(pause.Number("last-of-month")!.Value, AtEnd: true, why);
            default:
                _errors.Report(pause, keys.Count == 0 ? "a pause needs days" : $"a pause cannot have {string.Join(" and ", keys)}", Forms);
                return null;
        }
    }

    private LocalDateTime? TimeOrDayOf(YamlMappingNode node, string key, bool wholeDay = false) =>
        node.Text(key)!.Contains('T', StringComparison.Ordinal)
            ? TimeOf(node, key)
            : DayOf(node, key)?.PlusDays(wholeDay ? 1 : 0).AtMidnight();

    private LocalDate? DayOf(YamlMappingNode node, string key) =>
        node.Text(key) is { } text ? Parsed(node, key, LocalDatePattern.Iso.Parse(text)) : null;

    private LocalDateTime? TimeOf(YamlMappingNode node, string key) =>
        node.Text(key) is { } text ? Parsed(node, key, s_time.Parse(text)) : null;

    /// <summary>The form was checked before; that there is such a day was not.</summary>
    private T? Parsed<T>(YamlMappingNode node, string key, ParseResult<T> parsed)
        where T : struct
    {
        if (parsed.Success)
            return parsed.Value;
        _errors.Report(node[key], $"'{node.Text(key)}' is not a day of the calendar", "a day such as 2027-02-12");
        return null;
    }

    public static Duration? LengthOf(YamlMappingNode node, string key)
    {
        if (node.Text(key) is not { } text)
            return null;
        var number = int.Parse(text[..^1], CultureInfo.InvariantCulture);
        return text[^1] switch
        {
            'm' => Duration.FromMinutes(number),
            'h' => Duration.FromHours(number),
            'w' => Duration.FromDays(7 * number),
            _ => Duration.FromDays(number),
        };
    }
}
