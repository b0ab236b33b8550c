namespace EasyCaravan.Contract;

/// <summary>Where one address book or calendar of a person lands.</summary>
/// <param name="Name">The person.</param>
/// <param name="Account">Their account on the old side.</param>
/// <param name="Kind">Contacts or calendars.</param>
/// <param name="From">Its name on the old side.</param>
/// <param name="Standing">own, shared, subscribed or read-only.</param>
/// <param name="Items">How many contacts or events it holds.</param>
/// <param name="To">Its name on the new side; null: it stays behind.</param>
/// <param name="IsNew">It has yet to be made there.</param>
/// <param name="Why">Which rule said so.</param>
public sealed record CollectionLandingView(
    string Name,
    string Account,
    MoveKind Kind,
    string From,
    string Standing,
    long Items,
    string? To,
    bool IsNew,
    string Why
);
