using System.Collections.Immutable;
using System.Globalization;
using NodaTime;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>timetable:</c> of a batch.</summary>
internal static class TimetableSection
{
    public static Timetable Read(YamlMappingNode node, PlanErrors errors)
    {
        var zoneName = node.Text("zone")!;
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(zoneName);
        if (zone is null)
            errors.Report(
                node["zone"],
                $"'{zoneName}' is not a time zone{Spelling.Suggest(zoneName, DateTimeZoneProviders.Tzdb.Ids)}",
                "a name of the IANA time zone database such as Europe/Dublin"
            );
        var windows = node.Children.TryGetValue("windows", out var list)
            ? ((YamlSequenceNode)list)
                .Children.Cast<YamlMappingNode>()
                .Select(w => new Window(Days(w.Text("days")!), Time(w, "from"), Time(w, "to")))
                .ToImmutableArray()
            : [];
        return new Timetable(zone ?? DateTimeZone.Utc, windows, node.Text("catch-up-every") is { } every ? ReadDuration(every) : null);

        static LocalTime Time(YamlMappingNode window, string key) =>
            window.Text(key) is { } text
                ? NodaTime.Text.LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(text).Value
                : LocalTime.Midnight;
    }

    private static ImmutableArray<IsoDayOfWeek> Days(string text)
    {
        string[] names = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
        var ends = text.Split('-').Select(d => Array.IndexOf(names, d)).ToArray();
        var days = ImmutableArray.CreateBuilder<IsoDayOfWeek>();
        for (var day = ends[0]; ; day = (day + 1) % 7)
        {
            days.Add((IsoDayOfWeek)(day + 1));
            if (day == ends[^1])
                return days.ToImmutable();
        }
    }

    private static Duration ReadDuration(string text)
    {
        var number = int.Parse(text[..^1], CultureInfo.InvariantCulture);
        return text[^1] switch
        {
            'm' => Duration.FromMinutes(number),
            'h' => Duration.FromHours(number),
            _ => Duration.FromDays(number),
        };
    }
}
