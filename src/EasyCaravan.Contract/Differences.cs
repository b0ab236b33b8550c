using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>How a message differs between the sides.</summary>
[JsonConverter(typeof(KebabWord<DifferenceWord>))]
public enum DifferenceWord
{
    Missing,
    Twice,
    Altered,
    Moved,
    Flags,
    Removed,
}

/// <summary>What was decided about a difference.</summary>
[JsonConverter(typeof(KebabWord<DifferenceStateWord>))]
public enum DifferenceStateWord
{
    Open,
    Accepted,

    /// <summary>The next pass removes the second copy.</summary>
    Remove,

    /// <summary>Nobody has to decide: it is told because its owner may ask.</summary>
    Told,
}

/// <summary>What a person decides about differences.</summary>
[JsonConverter(typeof(KebabWord<DifferenceChoice>))]
public enum DifferenceChoice
{
    Accept,
    CarryAgain,
    RemoveSecond,
}

/// <summary>A message that is not on the new side as it is on the old.</summary>
/// <param name="Folder">On the old side.</param>
/// <param name="LandedIn">The folder of the new side.</param>
/// <param name="What">How it differs, in words.</param>
/// <param name="Remedy">What can be done about it.</param>
/// <param name="Received">Null where neither side tells it any more.</param>
/// <param name="Size">In octets.</param>
/// <param name="State">What was decided about it.</param>
/// <param name="Choices">What can be decided about it.</param>
/// <param name="Id">Its number, stable.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Kind">How the sides differ.</param>
/// <param name="Subject">Of the message, for people to recognise it by.</param>
/// <param name="Sender">Of the message, for people to recognise it by.</param>
/// <param name="DecidedBy">Who decided; null: nobody yet.</param>
/// <param name="SeenAt">When it was seen first.</param>
public sealed record DifferenceView(
    long Id,
    string Batch,
    string Account,
    string Folder,
    string LandedIn,
    DifferenceWord Kind,
    string What,
    string Remedy,
    string Subject,
    string Sender,
    DateTimeOffset? Received,
    long Size,
    DifferenceStateWord State,
    string? DecidedBy,
    DateTimeOffset SeenAt,
    IReadOnlyList<DifferenceChoice> Choices
);

/// <summary>A decision about differences between the sides.</summary>
/// <param name="Moves">From accounts, to accounts or names; null: everybody in the batch.</param>
/// <param name="Items">Ids of differences; null: all on which this can be decided.</param>
/// <param name="Kind">Only those of this kind; null: of every kind.</param>
/// <param name="Choice">What is to be done.</param>
public sealed record DifferencesDecision(
    DifferenceChoice Choice,
    IReadOnlyList<string>? Moves,
    IReadOnlyList<long>? Items,
    DifferenceWord? Kind
);

/// <summary>What was decided about.</summary>
/// <param name="Items">How many differences.</param>
/// <param name="Moves">How many moves they belong to.</param>
public sealed record DifferencesDecided(int Items, int Moves);
