using System.Collections.Immutable;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>Tells, for a new side that is a file, where it comes from and what its rules leave out.</summary>
public static class OriginWords
{
    public static Origin Of(Service from, CarryRules rules)
    {
        var words = ImmutableArray.CreateBuilder<string>();
        foreach (var rule in rules.Folders.Where(r => r.Outcome is FolderOutcome.Leave))
            words.Add($"folders that stay behind by {rule}");
        if (rules.Mail.Since is { } since)
            words.Add($"mail since {since:uuuu-MM-dd}");
        if (rules.Mail.Before is { } before)
            words.Add($"mail before {before:uuuu-MM-dd}");
        if (rules.Mail.Largest is { } largest)
            words.Add($"mail up to {largest}");
        if (rules.Mail.DropKeywords)
            words.Add("mail without its keywords");
        foreach (var (kind, of) in new[] { ("address books", rules.Contacts), ("calendars", rules.Calendars) })
        {
            foreach (var rule in of.Collections.Where(r => r.To is null))
                words.Add($"{kind} that stay behind by {rule}");
            if (of.Since is { } day)
                words.Add($"{kind} since {day:uuuu-MM-dd}");
        }
        return new Origin(from.Name, words.ToImmutable());
    }
}
