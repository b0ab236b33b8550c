using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>From one service to another, with the rules by which mail is carried.</summary>
public sealed record Route(string Name, string From, string To, ImmutableArray<FolderRule> Folders, MailRules Mail, Doubles Doubles)
{
    /// <summary>A folder of the to side below which everything lands; may hold <c>{name}</c> and <c>{account}</c>. Null: the account's root.</summary>
    public string? Under { get; init; }

    /// <summary>Another root of the to side's accounts, such as the namespace of an archive; null: the person's own folders.</summary>
    public string? Root { get; init; }

    /// <summary>Several people may land in one account, each below a folder of their own.</summary>
    public bool SharedToAccounts { get; init; }

    public Shaping Shaping { get; init; } = Shaping.Default;
}

/// <summary>Which messages a route leaves out, whatever their folder. Each is a named exclusion on the waybill.</summary>
/// <param name="Since">Messages that the from side received before this day are left out; or null.</param>
/// <param name="Largest">Messages of more octets are left out; or null.</param>
/// <param name="DropKeywords">Messages arrive without their keywords; system flags stay.</param>
public sealed record MailRules(LocalDate? Since, long? Largest, bool DropKeywords = false)
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
