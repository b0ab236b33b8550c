namespace EasyCaravan.Core.Planning;

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
