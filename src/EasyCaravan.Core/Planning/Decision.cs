using System.Collections.Immutable;
using EasyCaravan.Core.Surveying;
using NodaTime;
using NodaTime.Text;

namespace EasyCaravan.Core.Planning;

/// <summary>For whom something was decided. The narrower word counts.</summary>
public enum DecisionScope
{
    Route,
    Batch,
    Move,
}

/// <summary>What a person chose about a finding, or to leave out before the move.</summary>
public sealed record Decision(DecisionScope Scope, FindingCode Code, Resolution Way, string? Value)
{
    /// <summary>One for each finding: the narrowest, and of those the newest, which stands last.</summary>
    public static IEnumerable<Decision> InForce(IEnumerable<Decision> decisions) =>
        decisions
            .GroupBy(c => c.Code)
            .Select(g => g.Aggregate((best, next) => next.Scope >= best.Scope ? next : best))
            .OrderBy(c => c.Code);

    public CarryRules Apply(CarryRules rules) =>
        (Code, Way) switch
        {
            (_, Resolution.Accept or Resolution.Withdraw) => rules,
            (FindingCode.ReservedName, Resolution.LeaveBehind) => rules with { Shaping = rules.Shaping with { Reserved = NameWay.Leave } },
            (FindingCode.IllegalName, Resolution.LeaveBehind) => rules with { Shaping = rules.Shaping with { Illegal = NameWay.Leave } },
            (FindingCode.TooDeep, Resolution.LeaveBehind) => rules with { Shaping = rules.Shaping with { TooDeep = NameWay.Leave } },
            (FindingCode.LongName, Resolution.LeaveBehind) => rules with { Shaping = rules.Shaping with { TooLong = NameWay.Leave } },
            (_, Resolution.Suffix) => rules with { Shaping = rules.Shaping with { Reserved = NameWay.Change, ReservedSuffix = Value! } },
            (_, Resolution.Substitute) => rules with { Shaping = rules.Shaping with { Illegal = NameWay.Change, Substitute = Value! } },
            (_, Resolution.Flatten) => rules with { Shaping = rules.Shaping with { TooDeep = NameWay.Change, Joiner = Value! } },
            (_, Resolution.Number) => rules with { Shaping = rules.Shaping with { Clash = ClashWay.Number } },
            (_, Resolution.Merge) => rules with { Shaping = rules.Shaping with { Clash = ClashWay.Merge } },
            (_, Resolution.LeaveTrash) => Leave(rules, SpecialUse.Trash),
            (_, Resolution.LeaveJunk) => Leave(rules, SpecialUse.Junk),
            (_, Resolution.OnceWithKeyword) => rules with { Labels = Labels.OnceWithKeyword },
            (_, Resolution.LeaveAll) => Leave(rules, SpecialUse.All),
            // What two decisions leave out is left out by both: the later day, the smaller size.
            (_, Resolution.Since) => rules with
            {
                Mail = rules.Mail with { Since = Later(rules.Mail.Since, LocalDatePattern.Iso.Parse(Value!).Value) },
            },
            (_, Resolution.Largest) => rules with
            {
                Mail = rules.Mail with
                {
                    // The smaller of the two; a rule that sets none leaves the decision's.
                    Largest = new[]
                    {
                        rules.Mail.Largest,
                        ByteCount.TryParse(Value!, out var octets) ? octets : throw new FormatException(Value),
                    }.Min(),
                },
            },
            (_, Resolution.DropKeywords) => rules with { Mail = rules.Mail with { DropKeywords = true } },
            (_, Resolution.Pair) => rules with { Doubles = Doubles.Pair },
            (_, Resolution.KeepBoth) => rules with { Doubles = Doubles.KeepBoth },
            (_, Resolution.Under) => rules with { Under = FolderPath.Parse(Value!) },
            (_, Resolution.LeaveBehind) => throw new InvalidOperationException($"{Code} has no folder to leave behind."),
        };

    private static LocalDate Later(LocalDate? one, LocalDate other) => one is { } day && day > other ? day : other;

    private static CarryRules Leave(CarryRules rules, SpecialUse use) =>
        rules with
        {
            Folders = rules.Folders.Insert(0, new FolderRule(0, new FolderMatch.Use(use), new FolderOutcome.Leave())),
        };
}
