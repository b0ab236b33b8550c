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

/// <summary>
/// A message that tells of a new address: what the old side answers by itself (RFC 5230), or what is written to correspondents.
/// <c>{name}</c>, <c>{old_address}</c> and <c>{new_address}</c> stand for the person's name and accounts.
/// </summary>
public sealed record AddressMessage(string Subject, string Text)
{
    /// <summary>A note to correspondents where the plan has none.</summary>
    /// <param name="language">en, de or fr; null: English.</param>
    public static AddressMessage UsualNote(string? language) =>
        language switch
        {
            "de" => new(
                "Meine neue Adresse: {new_address}",
                "Guten Tag,\n\nmeine E-Mail-Adresse hat sich geändert. Bitte schreiben Sie mir von nun an an {new_address} statt an "
                    + "{old_address}.\n\nFreundliche Grüße\n{name}\n"
            ),
            "fr" => new(
                "Ma nouvelle adresse : {new_address}",
                "Bonjour,\n\nmon adresse de courriel a changé. Merci de m'écrire désormais à {new_address} au lieu de {old_address}.\n\n"
                    + "Cordialement,\n{name}\n"
            ),
            _ => new(
                "My new address: {new_address}",
                "Hello,\n\nmy e-mail address has changed. Please write to {new_address} from now on, instead of {old_address}.\n\n"
                    + "Kind regards\n{name}\n"
            ),
        };

    public AddressMessage For(string name, string oldAddress, string newAddress)
    {
        return new(Fill(Subject), Fill(Text));

        string Fill(string text) =>
            text.Replace("{new_address}", newAddress, StringComparison.Ordinal)
                .Replace("{old_address}", oldAddress, StringComparison.Ordinal)
                .Replace("{name}", name, StringComparison.Ordinal);
    }
}
