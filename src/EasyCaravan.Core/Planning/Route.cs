using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>From one service to another, with the rules by which mail is carried.</summary>
public sealed record Route(string Name, string From, string To, ImmutableArray<FolderRule> Folders, MailRules Mail, Doubles Doubles)
{
    /// <summary>The kinds that it carries, each once, in the order in which the legs of a pass run.</summary>
    public ImmutableArray<Kind> Carry { get; init; } = [Kind.Mail];

    public CollectionRules Contacts { get; init; } = CollectionRules.Default;

    public CollectionRules Calendars { get; init; } = CollectionRules.Default;

    /// <summary>
    /// A folder of the to side below which everything lands; may hold <c>{name}</c> and <c>{account}</c>. Null: the account's root.
    /// </summary>
    public string? Under { get; init; }

    /// <summary>Another root of the to side's accounts, such as the namespace of an archive; null: the person's own folders.</summary>
    public string? Root { get; init; }

    /// <summary>Several people may land in one account, each below a folder of their own.</summary>
    public bool SharedToAccounts { get; init; }

    public Shaping Shaping { get; init; } = Shaping.Default;

    public Labels Labels { get; init; } = Labels.EachFolder;

    public Deletions Deletions { get; init; } = Deletions.Keep;

    public QueueOrder QueueOrder { get; init; } = QueueOrder.AsListed;

    public OldSide OldSide { get; init; } = OldSide.Leave;

    public LeftBehindTolerance Tolerance { get; init; } = LeftBehindTolerance.None;
}

/// <summary>What becomes of a message that stands in several folders because its service shows labels as folders.</summary>
public enum Labels
{
    /// <summary>It arrives in each of them.</summary>
    EachFolder,

    /// <summary>It arrives in the first, with the names of the others as keywords.</summary>
    OnceWithKeyword,
}

/// <summary>What becomes of messages on the to side that their owner deleted on the from side after they were carried.</summary>
public enum Deletions
{
    Keep,

    /// <summary>They are deleted there too; what was there before the move never is.</summary>
    Follow,
}

/// <summary>Who goes first when more moves want to run than may.</summary>
public enum QueueOrder
{
    AsListed,

    /// <summary>Small mailboxes, as far as a survey knows them: many people are done early.</summary>
    SmallFirst,
}

/// <summary>What becomes of the from side's messages once they are proven to have arrived.</summary>
public enum OldSide
{
    Leave,

    /// <summary>Deleted, each after its copy was read back and found to be the same. Over POP3 only.</summary>
    DeleteAfterProof,
}

/// <summary>Which messages a route leaves out, whatever their folder. Each is a named exclusion on the waybill.</summary>
/// <param name="Since">Messages that the from side received before this day are left out; or null.</param>
/// <param name="Largest">Messages of more octets are left out; or null.</param>
/// <param name="DropKeywords">Messages arrive without their keywords; system flags stay.</param>
public sealed record MailRules(LocalDate? Since, ByteCount? Largest, bool DropKeywords = false)
{
    /// <summary>Messages that the from side received on this day or later are left out; or null.</summary>
    public LocalDate? Before { get; init; }

    /// <summary>A keyword that every carried message gets on the to side, to tell where it came from; null: none.</summary>
    public string? Mark { get; init; }

    /// <summary>The rule that leaves this message out, in words; null when none does.</summary>
    public string? Excludes(DateTimeOffset received, ByteCount size)
    {
        if (Since is { } since && DateOnly.FromDateTime(received.DateTime) < since.ToDateOnly())
            return $"mail since {since:uuuu-MM-dd}";
        if (Before is { } before && DateOnly.FromDateTime(received.DateTime) >= before.ToDateOnly())
            return $"mail before {before:uuuu-MM-dd}";
        if (Largest is { } largest && size > largest)
            return $"mail up to {largest}";
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
