using System.Collections.Immutable;
using EasyCaravan.Core.Surveying;
using NodaTime;
using NodaTime.Text;

namespace EasyCaravan.Core.Planning;

/// <summary>For whom something was decided. The narrower word counts.</summary>
public enum ChoiceScope
{
    Route,
    Batch,
    Move,
}

/// <summary>What a person chose about a finding, or to leave out before the move.</summary>
public sealed record Choice(ChoiceScope Scope, FindingCode Code, WayOut Way, string? Value)
{
    /// <summary>One for each finding: the narrowest, and of those the newest, which stands last.</summary>
    public static IEnumerable<Choice> InForce(IEnumerable<Choice> choices) =>
        choices.GroupBy(c => c.Code).Select(g => g.Aggregate((best, next) => next.Scope >= best.Scope ? next : best)).OrderBy(c => c.Code);

    public CarryRules Apply(CarryRules rules) => (Code, Way) switch
    {
        (_, WayOut.Accept or WayOut.Withdraw) => rules,
        (FindingCode.ReservedName, WayOut.LeaveBehind) => rules with { Shaping = rules.Shaping with { Reserved = NameWay.Leave } },
        (FindingCode.IllegalName, WayOut.LeaveBehind) => rules with { Shaping = rules.Shaping with { Illegal = NameWay.Leave } },
        (FindingCode.TooDeep, WayOut.LeaveBehind) => rules with { Shaping = rules.Shaping with { TooDeep = NameWay.Leave } },
        (FindingCode.LongName, WayOut.LeaveBehind) => rules with { Shaping = rules.Shaping with { TooLong = NameWay.Leave } },
        (_, WayOut.Suffix) => rules with { Shaping = rules.Shaping with { Reserved = NameWay.Change, ReservedSuffix = Value! } },
        (_, WayOut.Substitute) => rules with { Shaping = rules.Shaping with { Illegal = NameWay.Change, Substitute = Value! } },
        (_, WayOut.Flatten) => rules with { Shaping = rules.Shaping with { TooDeep = NameWay.Change, Joiner = Value! } },
        (_, WayOut.Number) => rules with { Shaping = rules.Shaping with { Clash = ClashWay.Number } },
        (_, WayOut.Merge) => rules with { Shaping = rules.Shaping with { Clash = ClashWay.Merge } },
        (_, WayOut.LeaveTrash) => Leave(rules, SpecialUse.Trash),
        (_, WayOut.LeaveJunk) => Leave(rules, SpecialUse.Junk),
        (_, WayOut.OnceWithKeyword) => rules with { Labels = Labels.OnceWithKeyword },
        (_, WayOut.LeaveAll) => Leave(rules, SpecialUse.All),
        // What two decisions leave out is left out by both: the later day, the smaller size.
        (_, WayOut.Since) => rules with { Mail = rules.Mail with { Since = Later(rules.Mail.Since, LocalDatePattern.Iso.Parse(Value!).Value) } },
        (_, WayOut.Largest) => rules with { Mail = rules.Mail with { Largest = Math.Min(rules.Mail.Largest ?? long.MaxValue, ByteCount.TryParse(Value!, out var octets) ? octets : throw new FormatException(Value)) } },
        (_, WayOut.DropKeywords) => rules with { Mail = rules.Mail with { DropKeywords = true } },
        (_, WayOut.Pair) => rules with { Doubles = Doubles.Pair },
        (_, WayOut.KeepBoth) => rules with { Doubles = Doubles.KeepBoth },
        (_, WayOut.Under) => rules with { Under = FolderPath.Parse(Value!) },
        (_, WayOut.LeaveBehind) => throw new InvalidOperationException($"{Code} has no folder to leave behind."),
    };

    private static LocalDate Later(LocalDate? one, LocalDate other) => one is { } day && day > other ? day : other;

    private static CarryRules Leave(CarryRules rules, SpecialUse use) =>
        rules with { Folders = rules.Folders.Insert(0, new FolderRule(0, new FolderMatch.Use(use), new FolderOutcome.Leave())) };
}
