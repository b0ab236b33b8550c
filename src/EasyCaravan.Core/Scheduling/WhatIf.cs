using System.Collections.Immutable;
using System.Globalization;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Planning;
using NodaTime;
using NodaTime.Text;

namespace EasyCaravan.Core.Scheduling;

/// <summary>A change that a forecast is asked about, written as <c>key=value</c>.</summary>
/// <param name="Text">As it was written.</param>
public abstract partial record WhatIf(string Text)
{
    /// <summary>What may be written, for people.</summary>
    public const string Forms =
        "windows=all, windows=\"mon-fri 18:00-08:00, sat-sun\", pauses=none, connections.SERVICE=NUMBER, at-once=NUMBER (1 to 64) "
        + "or people=NUMBER";

    private static readonly LocalTimePattern s_time = LocalTimePattern.CreateWithInvariantCulture("HH:mm");

    public abstract ForecastScene Change(ForecastScene scene, string batch);

    /// <summary>Null where it cannot be understood, or names a service that is not in the plan.</summary>
    public static WhatIf? Read(string text, Plan plan)
    {
        var (key, value) = text.Split('=', 2) is [var k, var v] ? (k.Trim(), v.Trim()) : ("", "");
        var isNumber = int.TryParse(value, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number > 0;
        return key switch
        {
            "windows" when value == "all" => new OtherWindows(text, []),
            "pauses" when value == "none" => new NoPauses(text),
            "windows" => ReadWindows(value) is { } windows ? new OtherWindows(text, windows) : null,
            "at-once" when isNumber && number <= 64 => new OtherWorkers(text, number),
            "people" when isNumber => new FewerPeople(text, number),
            _ when isNumber && key.StartsWith("connections.", StringComparison.Ordinal) => plan.Services.Any(s =>
                s.Name == key["connections.".Length..]
            )
                ? new OtherConnections(text, key["connections.".Length..], number)
                : null,
            _ => null,
        };
    }

    private static ImmutableArray<Window>? ReadWindows(string text)
    {
        var windows = ImmutableArray.CreateBuilder<Window>();
        foreach (var part in text.Split(',', StringSplitOptions.TrimEntries))
        {
            var match = WindowForm().Match(part);
            if (!match.Success)
                return null;
            LocalTime Time(string group) =>
                match.Groups[group].Success ? s_time.Parse(match.Groups[group].Value).Value : LocalTime.Midnight;
            windows.Add(new Window(WeekDays.Read(match.Groups["days"].Value), Time("from"), Time("to")));
        }
        return windows.ToImmutable();
    }

    [GeneratedRegex(
        "^(?<days>(mon|tue|wed|thu|fri|sat|sun)(-(mon|tue|wed|thu|fri|sat|sun))?)"
            + "( +(?<from>([01][0-9]|2[0-3]):[0-5][0-9])-(?<to>([01][0-9]|2[0-3]):[0-5][0-9]))?$"
    )]
    private static partial Regex WindowForm();

    private sealed record OtherWindows(string Text, ImmutableArray<Window> Windows) : WhatIf(Text)
    {
        public override ForecastScene Change(ForecastScene scene, string batch)
        {
            var before = scene.Timetables.GetValueOrDefault(batch) ?? new Timetable(DateTimeZone.Utc, [], null);
            return scene with { Timetables = scene.Timetables.ToImmutableDictionary().SetItem(batch, before with { Windows = Windows }) };
        }
    }

    private sealed record NoPauses(string Text) : WhatIf(Text)
    {
        public override ForecastScene Change(ForecastScene scene, string batch) =>
            scene.Timetables.GetValueOrDefault(batch) is { } before
                ? scene with
                {
                    Timetables = scene.Timetables.ToImmutableDictionary().SetItem(batch, before with { Pauses = [] }),
                }
                : scene;
    }

    private sealed record OtherWorkers(string Text, int Workers) : WhatIf(Text)
    {
        public override ForecastScene Change(ForecastScene scene, string batch) => scene with { Workers = Workers };
    }

    private sealed record OtherConnections(string Text, string Service, int Connections) : WhatIf(Text)
    {
        public override ForecastScene Change(ForecastScene scene, string batch) =>
            scene with
            {
                Rules = scene.Rules with
                {
                    Shares = [.. scene.Rules.Shares.Select(s => s.Service == Service ? s with { Connections = Connections } : s)],
                },
            };
    }

    /// <summary>A smaller wave: the first so many of the batch.</summary>
    private sealed record FewerPeople(string Text, int People) : WhatIf(Text)
    {
        public override ForecastScene Change(ForecastScene scene, string batch)
        {
            var wave = scene.Moves.Where(m => m.Batch == batch).OrderBy(m => m.Id).Take(People).Select(m => m.Id).ToHashSet();
            return scene with { Moves = [.. scene.Moves.Where(m => m.Batch != batch || wave.Contains(m.Id))] };
        }
    }
}
