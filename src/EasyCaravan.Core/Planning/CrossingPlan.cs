using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>How a batch crosses, as its plan says.</summary>
/// <param name="KeepsCopy">Forwarded mail also stays in the old mailbox.</param>
/// <param name="Wave">People who cross at a time; null: all.</param>
/// <param name="StopAt">The share of a wave that may go wrong before no further wave begins, 0 to 1.</param>
/// <param name="ProbeWithin">How long a probe may take.</param>
/// <param name="Compares">The share of the items that is compared after the closing pass, above 0 and at most 1.</param>
public sealed record CrossingPlan(bool KeepsCopy, int? Wave, double StopAt, Duration ProbeWithin, double Compares)
{
    /// <summary>
    /// Where the old address forwards to, with <c>{account}</c>, <c>{user}</c> and <c>{domain}</c> of the to account; null: to that
    /// account. People who keep their address need another one here, for which the new service alone takes mail.
    /// </summary>
    public string? ForwardTo { get; init; }

    /// <summary>Answers on the old side to those who write there; null: nothing does.</summary>
    public AddressMessage? Answer { get; init; }

    /// <summary>What is written to those with whom a person exchanges mail; null: our own words.</summary>
    public AddressMessage? Note { get; init; }

    /// <param name="own">What the roster says of this person.</param>
    public string AddressOf(string? own, string toAccount)
    {
        if (own is not null || ForwardTo is null)
            return own ?? toAccount;
        var at = toAccount.LastIndexOf('@');
        return ForwardTo
            .Replace("{account}", toAccount, StringComparison.Ordinal)
            .Replace("{user}", at < 0 ? toAccount : toAccount[..at], StringComparison.Ordinal)
            .Replace("{domain}", at < 0 ? "" : toAccount[(at + 1)..], StringComparison.Ordinal);
    }

    /// <summary>Where the plan says nothing.</summary>
    public static CrossingPlan Usual { get; } = new(true, null, 0.2, Duration.FromMinutes(10), 1);
}
