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
/// <param name="Forecast">What would become of its items; null: it stays behind, or one of the sides could not be looked at.</param>
public sealed record CollectionLandingView(
    string Name,
    string Account,
    MoveKind Kind,
    string From,
    string Standing,
    long Items,
    string? To,
    bool IsNew,
    string Why,
    ForecastCountsView? Forecast
);

/// <summary>How many contacts or events would become what.</summary>
/// <param name="New">The new side has none like it.</param>
/// <param name="Same">The new side has it already.</param>
/// <param name="Merge">What is there would get what it lacks.</param>
/// <param name="Unclear">It may be the same, or says something else than what is there.</param>
/// <param name="Unreadable">They cannot be read, and would be left behind.</param>
public sealed record ForecastCountsView(long New, long Same, long Merge, long Unclear, long Unreadable);

/// <summary>What would become of a contact or event.</summary>
[System.Text.Json.Serialization.JsonConverter(typeof(KebabWord<ItemForecastWord>))]
public enum ItemForecastWord
{
    New,
    Same,
    Merge,
    Unclear,
    Unreadable,
}

/// <summary>What carrying one contact or event would do, as the last survey found.</summary>
/// <param name="Name">The person.</param>
/// <param name="Account">Their account on the old side.</param>
/// <param name="Kind">Contacts or calendars.</param>
/// <param name="Collection">The address book, calendar or file in which it stands.</param>
/// <param name="Place">Where it stands in a file, such as <c>line 12</c>; null: in none.</param>
/// <param name="Title">The contact's name, or what the event is called.</param>
/// <param name="Whom">An address of the contact, or who organises the event.</param>
/// <param name="Forecast">What would become of it.</param>
/// <param name="Why">What would happen, where the word alone does not tell; null: nothing more.</param>
public sealed record ItemForecastView(
    string Name,
    string Account,
    MoveKind Kind,
    string Collection,
    string? Place,
    string Title,
    string Whom,
    ItemForecastWord Forecast,
    string? Why
);
