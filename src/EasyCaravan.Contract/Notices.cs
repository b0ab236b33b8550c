using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>What is told.</summary>
[JsonConverter(typeof(KebabWord<NoticeAbout>))]
public enum NoticeAbout
{
    /// <summary>To administrators: once a day, how everything stands.</summary>
    Digest,

    /// <summary>To administrators: people of a batch wait for somebody, for one cause.</summary>
    NeedsYou,

    /// <summary>To administrators: everybody of a batch is in step.</summary>
    InStep,

    /// <summary>To administrators: a batch is done.</summary>
    Done,

    /// <summary>To a person: their batch will start.</summary>
    Starts,

    /// <summary>To a person: their mail, contacts or calendars are on the new side.</summary>
    KindDone,

    /// <summary>To a person: the cutover is near.</summary>
    Crosses,

    /// <summary>To a person: from now on the new account counts, with its settings.</summary>
    Crossed,
}

/// <summary>By which way it is told.</summary>
[JsonConverter(typeof(KebabWord<NoticeWayWord>))]
public enum NoticeWayWord
{
    Mail,
    Webhook,
}

/// <summary>What became of a notice.</summary>
[JsonConverter(typeof(KebabWord<NoticeStateWord>))]
public enum NoticeStateWord
{
    /// <summary>It waits to be sent, or to be tried again.</summary>
    Due,

    /// <summary>It is being handed over.</summary>
    HandingOver,

    /// <summary>It was taken.</summary>
    Sent,

    /// <summary>It was refused for good, or tried long enough.</summary>
    Refused,

    /// <summary>Nobody knows whether it was taken: it is not sent again by itself.</summary>
    Unclear,

    /// <summary>It was taken, and came back later.</summary>
    Bounced,

    /// <summary>It was due while notices were switched off, or came too late to be of use.</summary>
    Dropped,
}

/// <summary>A notice to one recipient.</summary>
/// <param name="Id">By which it is sent again.</param>
/// <param name="About">What is told.</param>
/// <param name="Way">By mail or to a webhook.</param>
/// <param name="To">A mail address, or the name of a webhook.</param>
/// <param name="Language">en, de or fr.</param>
/// <param name="Batch">Null: it is about all.</param>
/// <param name="Account">Of the person whom it is about; null: about nobody alone.</param>
/// <param name="State">What became of it.</param>
/// <param name="MadeAt">When what it tells was seen.</param>
/// <param name="DueAt">When it is sent, or tried again.</param>
/// <param name="EndedAt">When it got its last answer; null: none yet.</param>
/// <param name="Attempts">How often it was tried.</param>
/// <param name="Answer">What was answered last, or why it was not sent; null: nothing yet.</param>
/// <param name="Subject">Of the letter, once it was written; null before, and for webhooks.</param>
public sealed record NoticeView(
    long Id,
    NoticeAbout About,
    NoticeWayWord Way,
    string To,
    string Language,
    string? Batch,
    string? Account,
    NoticeStateWord State,
    DateTimeOffset MadeAt,
    DateTimeOffset DueAt,
    DateTimeOffset? EndedAt,
    int Attempts,
    string? Answer,
    string? Subject
);

/// <summary>How notices stand.</summary>
/// <param name="From">The sender; null: the plan sends no mail.</param>
/// <param name="Administrators">Addresses that are told.</param>
/// <param name="AdministratorsAbout">What they are told.</param>
/// <param name="PeopleAbout">What the people who move are told.</param>
/// <param name="Webhooks">Names of webhooks that are told.</param>
/// <param name="OffSince">When somebody switched all notices off; null: they are on.</param>
/// <param name="OffBatches">Batches whose notices somebody switched off.</param>
/// <param name="States">How many notices are in each state; states without any are left out.</param>
public sealed record NoticesView(
    string? From,
    IReadOnlyList<string> Administrators,
    IReadOnlyList<NoticeAbout> AdministratorsAbout,
    IReadOnlyList<NoticeAbout> PeopleAbout,
    IReadOnlyList<string> Webhooks,
    DateTimeOffset? OffSince,
    IReadOnlyList<string> OffBatches,
    IReadOnlyDictionary<string, int> States
);

/// <summary>A letter as it would be sent.</summary>
/// <param name="To">Who would get it.</param>
/// <param name="Subject">The line under which it arrives.</param>
/// <param name="Text">As plain text.</param>
/// <param name="Html">As a page.</param>
public sealed record NoticePreview(string To, string Subject, string Text, string Html);

/// <summary>Sends one letter at once, so that everybody sees whether it arrives.</summary>
/// <param name="To">A mail address.</param>
/// <param name="About">Which letter; null: the digest.</param>
/// <param name="Batch">Whose facts are in it; null: the first batch's.</param>
/// <param name="Language">en, de or fr; null: as the plan says.</param>
public sealed record NoticeTest(string To, NoticeAbout? About, string? Batch, string? Language);

/// <summary>What became of a letter that was sent to try.</summary>
/// <param name="Answer">What the sending server answered.</param>
public sealed record NoticeTested(string Answer);

/// <summary>Notices that are to go out again.</summary>
/// <param name="Ids">Their numbers, as the list has them.</param>
public sealed record NoticesAgain(IReadOnlyList<long> Ids);

/// <summary>How many notices were asked for again.</summary>
/// <param name="Due">Those that will go out again; others are on their way already, or are not there.</param>
public sealed record NoticesDue(int Due);

/// <summary>Switches notices on or off.</summary>
/// <param name="On">False: nothing is sent, and what falls due meanwhile is dropped.</param>
/// <param name="Batch">Null: all notices.</param>
public sealed record NoticeSwitch(bool On, string? Batch);
