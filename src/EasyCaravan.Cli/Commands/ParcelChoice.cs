using System.CommandLine;
using System.Globalization;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary>The options by which packing and opening say what of an account they are about.</summary>
internal sealed class ParcelChoice
{
    private readonly Option<string[]> _kinds = new("--kind")
    {
        Description = "mail, contacts or calendars; can be given several times. By default all",
    };
    private readonly Option<string[]> _folders = new("--folder")
    {
        Description = "Only mail folders that fit, such as \"Projects/**\"; can be given several times",
    };
    private readonly Option<string[]> _leave = new("--leave")
    {
        Description = "Mail folders that are left out; can be given several times",
    };
    private readonly Option<DateTimeOffset?> _since = DayOption("--since", "Only messages received on this day or later");
    private readonly Option<DateTimeOffset?> _before = DayOption("--before", "Only messages received before this day");

    public ParcelChoice() => _kinds.AcceptOnlyFromAmong("mail", "contacts", "calendars");

    public Option<string?> Service { get; } =
        new("--at") { Description = "The service at which the account is, where the rosters do not say it alone" };

    public IEnumerable<Symbol> Options => [Service, _kinds, _folders, _leave, _since, _before];

    public IReadOnlyList<MoveKind>? KindsOf(ParseResult parsed) =>
        parsed.GetValue(_kinds) is { Length: > 0 } kinds ? [.. kinds.Select(k => Enum.Parse<MoveKind>(k, ignoreCase: true))] : null;

    public IReadOnlyList<string>? FoldersOf(ParseResult parsed) => parsed.GetValue(_folders) is { Length: > 0 } folders ? folders : null;

    public IReadOnlyList<string>? LeftOf(ParseResult parsed) => parsed.GetValue(_leave) is { Length: > 0 } left ? left : null;

    public DateOnly? SinceOf(ParseResult parsed) => DayOf(parsed.GetValue(_since));

    public DateOnly? BeforeOf(ParseResult parsed) => DayOf(parsed.GetValue(_before));

    public static Option<DateTimeOffset?> DayOption(string name, string description) =>
        new(name)
        {
            Description = description,
            HelpName = "YYYY-MM-DD",
            CustomParser = given =>
            {
                if (
                    DateTimeOffset.TryParseExact(
                        given.Tokens[0].Value,
                        "yyyy-MM-dd",
                        CultureInfo.InvariantCulture,
                        DateTimeStyles.AssumeUniversal,
                        out var day
                    )
                )
                    return day;
                given.AddError($"{name} takes a day such as 2026-11-30, not '{given.Tokens[0].Value}'.");
                return null;
            },
        };

    private static DateOnly? DayOf(DateTimeOffset? day) => day is { } d ? DateOnly.FromDateTime(d.UtcDateTime) : null;
}
