using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>All that the contacts or the calendars leg of a pass needs to know of its move.</summary>
/// <param name="Lanes">Items that are written at the same time at most.</param>
public sealed record CollectionLegOrder(Kind Kind, Side From, Side To, CollectionRules Rules, Deletions Deletions, int Lanes)
{
    /// <summary>Events that are over are known by it.</summary>
    public required LocalDate Today { get; init; }

    /// <summary>How many items the to side's service likes to be given at the same time.</summary>
    public WritingLanes Writing { get; init; } = new();

    public RateLimiters RateLimiters { get; init; } = RateLimiters.Free;

    /// <summary>Of the calendar user; where the service does not tell, the account is taken for the address.</summary>
    internal IReadOnlyList<string> AddressesOf(ICollectionAccount to) =>
        to.Traits.Addresses.Count > 0 ? to.Traits.Addresses : [To.Credentials.Account];

    /// <summary>One collection, for people.</summary>
    internal string Word => Kind is Kind.Contacts ? "address book" : "calendar";
}
