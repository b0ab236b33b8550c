using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>From one service to another, with the rules by which mail is carried.</summary>
public sealed record Route(string Name, string From, string To, ImmutableArray<FolderRule> Folders, MailRules Mail, Doubles Doubles);

/// <summary>Which messages a route leaves out, whatever their folder. Each is a named exclusion on the waybill.</summary>
/// <param name="Since">Messages that the from side received before this day are left out; or null.</param>
/// <param name="Largest">Messages of more octets are left out; or null.</param>
public sealed record MailRules(LocalDate? Since, long? Largest)
{
    /// <summary>The rule that leaves this message out, in words; null when none does.</summary>
    public string? Excludes(DateTimeOffset received, long size)
    {
        if (Since is { } since && DateOnly.FromDateTime(received.DateTime) < since.ToDateOnly()) return $"mail since {since:uuuu-MM-dd}";
        if (Largest is { } largest && size > largest) return $"mail up to {ByteCount.Write(largest)}";
        return null;
    }
}

/// <summary>What happens to a message that the to side already has.</summary>
public enum Doubles
{
    /// <summary>It is paired with the one that is there.</summary>
    Pair,

    /// <summary>It is carried all the same.</summary>
    KeepBoth,
}
