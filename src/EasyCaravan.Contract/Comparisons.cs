namespace EasyCaravan.Contract;

/// <summary>Both sides of a move, read anew and compared item by item because somebody asked for it.</summary>
/// <param name="Share">Of the items: 1 means all.</param>
/// <param name="EndedAt">Null while it runs or waits.</param>
/// <param name="Compared">Items read on both sides.</param>
/// <param name="Octets">Read from the old side.</param>
/// <param name="Differing">Items that are altered on the new side, or no longer there.</param>
/// <param name="FlagsChanged">Messages whose flags were changed by their owner on the new side.</param>
/// <param name="Arrived">Items that came to the old side, or were edited there, after the last pass.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="AskedAt">When somebody asked for it.</param>
/// <param name="AskedBy">Who asked for it.</param>
public sealed record ComparisonView(
    string Account,
    string Name,
    double Share,
    DateTimeOffset AskedAt,
    string AskedBy,
    DateTimeOffset? EndedAt,
    long Compared,
    long Octets,
    long Differing,
    long FlagsChanged,
    long Arrived
);

/// <summary>What is to be read anew on both sides.</summary>
/// <param name="Moves">From accounts, to accounts or names; null: everybody in the batch.</param>
/// <param name="Share">Of the items, above 0 and at most 1; 1 reads all.</param>
public sealed record ComparisonRequest(IReadOnlyList<string>? Moves, double Share);
