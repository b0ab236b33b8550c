using System.Globalization;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Core.Formats;
using Spectre.Console;

namespace EasyCaravan.Cli.Output;

/// <summary>How numbers, sizes, times and states are written for people.</summary>
internal static class Words
{
    public static string Number(long number) => number.ToString("N0", CultureInfo.InvariantCulture);

    public static string Size(long octets) =>
        octets switch
        {
            >= 1_000_000_000 => string.Create(CultureInfo.InvariantCulture, $"{octets / 1e9:0.0} GB"),
            >= 1_000_000 => string.Create(CultureInfo.InvariantCulture, $"{octets / 1e6:0.0} MB"),
            >= 1_000 => string.Create(CultureInfo.InvariantCulture, $"{octets / 1e3:0} kB"),
            _ => $"{octets} B",
        };

    /// <summary>Local time with its offset, because an hour without a zone is ambiguous.</summary>
    public static string Time(DateTimeOffset at) => at.ToLocalTime().ToString("yyyy-MM-dd HH:mm:ss zzz", CultureInfo.InvariantCulture);

    /// <summary>The same to the minute, with the day of the week: for what is ahead.</summary>
    public static string Minute(DateTimeOffset at) => at.ToLocalTime().ToString("ddd yyyy-MM-dd HH:mm zzz", CultureInfo.InvariantCulture);

    /// <summary>A length of time that may be weeks.</summary>
    public static string Span(double seconds) => seconds < 172_800 ? Duration(seconds) : $"{seconds / 86_400:0} days";

    public static string Duration(double seconds) =>
        seconds switch
        {
            < 90 => $"{seconds:0} s",
            < 5400 => $"{seconds / 60:0} min",
            _ => string.Create(CultureInfo.InvariantCulture, $"{seconds / 3600:0.0} h"),
        };

    public static string Word<T>(T value)
        where T : struct, Enum => JsonNamingPolicy.KebabCaseLower.ConvertName(value.ToString());

    /// <summary>A condition by sign and word, coloured besides.</summary>
    public static string Condition(MoveCondition condition) =>
        condition switch
        {
            MoveCondition.Idle => "[grey]· idle[/]",
            MoveCondition.Queued => "[grey]… queued[/]",
            MoveCondition.Running => "[green]▸ running[/]",
            MoveCondition.Waiting => "[yellow]◷ waiting[/]",
            MoveCondition.Held => "[blue]‖ held[/]",
            MoveCondition.NeedsYou => "[red]! needs you[/]",
        };

    /// <summary>Text of others within a line of ours.</summary>
    public static string Safe(string? text) => VisibleText.Of(text ?? "").EscapeMarkup();
}
