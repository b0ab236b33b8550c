using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>What can be asked about the people with whom somebody exchanges mail.</summary>
[JsonConverter(typeof(KebabWord<CorrespondenceAsk>))]
public enum CorrespondenceAsk
{
    /// <summary>Count with whom mail is exchanged, from the headers of the new mailbox.</summary>
    Count,

    /// <summary>Put a note that tells of the new address among the person's drafts.</summary>
    Draft,

    /// <summary>Send that note in the person's name.</summary>
    Send,

    /// <summary>Notes that were asked for and are not written yet are not written.</summary>
    None,
}

/// <summary>What became of a note to one correspondent.</summary>
[JsonConverter(typeof(KebabWord<NoteWord>))]
public enum NoteWord
{
    /// <summary>It is to be sent.</summary>
    Wanted,

    /// <summary>It was handed over, and nobody knows whether it was taken: it is not sent again.</summary>
    Sending,

    /// <summary>The server has taken it.</summary>
    Sent,

    /// <summary>The server did not take it.</summary>
    Refused,

    /// <summary>It stands in a draft of the person.</summary>
    Drafted,
}

/// <summary>Asks for a count of correspondents, or for a note to them.</summary>
/// <param name="Ask">What.</param>
/// <param name="Moves">Whose: from accounts, to accounts or names. Null: everybody of the batch who has crossed; not with send.</param>
/// <param name="Days">With count: how many days back mail is looked at, 1 to 3650. Null: 365.</param>
/// <param name="Because">With send: how the person said that it may be sent in their name, for the journal.</param>
/// <param name="Leave">With draft and send: addresses that get none.</param>
public sealed record CorrespondenceRequest(
    CorrespondenceAsk Ask,
    IReadOnlyList<string>? Moves,
    int? Days = null,
    string? Because = null,
    IReadOnlyList<string>? Leave = null
);

/// <summary>What was begun.</summary>
/// <param name="Accounts">From accounts of whom it was.</param>
/// <param name="Notes">How many people get a note.</param>
public sealed record CorrespondenceAnswer(IReadOnlyList<string> Accounts, int Notes);

/// <summary>Somebody with whom a person exchanges mail.</summary>
/// <param name="Account">The person's from account.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Address">Of the correspondent.</param>
/// <param name="CorrespondentName">As it stood beside the address last; empty: none did.</param>
/// <param name="Received">Messages from there, in the days that were counted.</param>
/// <param name="Sent">Messages of the person to there.</param>
/// <param name="LastAt">When the last of them was.</param>
/// <param name="IsColleague">They move by the same plan.</param>
/// <param name="GetsNote">They are written to when a note is asked for: both have written, and they are no colleague.</param>
/// <param name="Note">What became of the note to them; null: none was asked for.</param>
/// <param name="NoteAt">When that was.</param>
/// <param name="NoteSaid">What the server said of it.</param>
public sealed record CorrespondentView(
    string Account,
    string Name,
    string Address,
    string CorrespondentName,
    long Received,
    long Sent,
    DateTimeOffset LastAt,
    bool IsColleague,
    bool GetsNote,
    NoteWord? Note,
    DateTimeOffset? NoteAt,
    string? NoteSaid
);
