using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>By what the moves of a batch are put in order.</summary>
[JsonConverter(typeof(KebabWord<MoveOrder>))]
public enum MoveOrder
{
    /// <summary>As the rosters have them.</summary>
    Roster,
    Name,
    Account,
    Stage,
    Condition,
    Found,
    Carried,
    LeftBehind,
    Undecided,
    Octets,
}

/// <summary>By what the accounts of a batch are put in order.</summary>
[JsonConverter(typeof(KebabWord<InventoryOrder>))]
public enum InventoryOrder
{
    /// <summary>As the rosters have them.</summary>
    Roster,
    Name,
    Account,
    Folders,
    Messages,
    Octets,
    CarryMessages,
    CarryOctets,
    OldestMessage,
    NewestMessage,
    LargestMessage,
    ToMessages,
    FreeOctets,
    Contacts,
    Calendars,
    Findings,
    TakenAt,
}

/// <summary>By what the people of a folder preview are put in order.</summary>
[JsonConverter(typeof(KebabWord<PreviewOrder>))]
public enum PreviewOrder
{
    /// <summary>As the rosters have them.</summary>
    Roster,
    Name,
    Account,
    Folders,
    Landing,
    LeftBehind,
    Changed,
    Merged,
}

/// <summary>Moves of a batch, chosen by what they have in common.</summary>
/// <param name="Search">Only those with this in an account, a name or a note; upper and lower case are the same. Null: all.</param>
/// <param name="Stage">Only those at this stage. Null: at any.</param>
/// <param name="Condition">Only those in this condition. Null: in any.</param>
/// <param name="NeedsYou">Only those that somebody has to see to, because of left-behind items or differences too.</param>
public sealed record MoveFilter(string? Search = null, MoveStage? Stage = null, MoveCondition? Condition = null, bool NeedsYou = false);
