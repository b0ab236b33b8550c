using System.Collections.Immutable;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Whether two contacts are the same person, or the same organisation.</summary>
public enum ContactMatch
{
    Different,

    /// <summary>Something speaks for it and something against it, or too little is known: a person has to say.</summary>
    Unclear,
    Same,
}

/// <summary>
/// By what a contact is known where the two sides have no UID in common: whoever was imported from a list, or typed in by hand, has another
/// UID on each side.
/// </summary>
/// <param name="Uid">As it is written; null: none.</param>
/// <param name="Name">The words of the name, without case, accents and order.</param>
/// <param name="Addresses">Mail addresses in small letters.</param>
/// <param name="Phones">Digits alone.</param>
/// <param name="Organisation">Without case and accents; empty: none.</param>
public sealed record ContactIdentity(
    string? Uid,
    string Name,
    ImmutableHashSet<string> Addresses,
    ImmutableHashSet<string> Phones,
    string Organisation
)
{
    /// <summary>
    /// Digits of a number that are the same with and without the country's code. Shorter numbers are an extension or a service, and belong
    /// to many.
    /// </summary>
    private const int SubscriberDigits = 7;

    public static ContactIdentity Of(ItemComponent card)
    {
        var name = WordsOf((card.Find("N")?.Text() ?? "").Replace(';', ' '));
        return new ContactIdentity(
            card.Find("UID")?.Text().Trim() is { Length: > 0 } uid ? uid : null,
            name.Length > 0 ? name : WordsOf(card.Find("FN")?.Text() ?? ""),
            [.. card.FindAll("EMAIL").Select(e => AddressOf(e.Text())).Where(a => a.Length > 0)],
            [.. card.FindAll("TEL").Select(t => DigitsOf(t.Text())).Where(d => d.Length >= SubscriberDigits)],
            WordsOf((card.Find("ORG")?.Text() ?? "").Split(';')[0])
        );
    }

    /// <summary>
    /// The same where the names agree and an address or a number does too. Two who share an address under other names may be a couple; two
    /// of one name with nothing else in common may be father and son.
    /// </summary>
    public ContactMatch Matches(ContactIdentity other)
    {
        if (Uid is not null && Uid == other.Uid)
            return ContactMatch.Same;
        var reach = !Addresses.Intersect(other.Addresses).IsEmpty || Phones.Any(p => other.Phones.Any(o => IsSameNumber(p, o)));
        var isSameName = Name == other.Name && Name.Length > 0;
        if (isSameName && reach)
            return ContactMatch.Same;
        if (Name.Length == 0 && other.Name.Length == 0)
            return reach ? ContactMatch.Same : OfOrganisation(other);
        if (!isSameName)
            return reach ? ContactMatch.Unclear : ContactMatch.Different;
        var knowsReach = (Addresses.Count > 0 || Phones.Count > 0) && (other.Addresses.Count > 0 || other.Phones.Count > 0);
        if (Organisation.Length > 0 && Organisation == other.Organisation && !knowsReach)
            return ContactMatch.Same;
        return ContactMatch.Unclear;
    }

    private ContactMatch OfOrganisation(ContactIdentity other) =>
        Organisation.Length > 0 && Organisation == other.Organisation ? ContactMatch.Same : ContactMatch.Different;

    /// <summary>One with the country's code and one without, or with a zero in its place, are the same number.</summary>
    private static bool IsSameNumber(string one, string other)
    {
        var (a, b) = (one.TrimStart('0'), other.TrimStart('0'));
        var (longer, shorter) = a.Length >= b.Length ? (a, b) : (b, a);
        return shorter.Length >= SubscriberDigits && longer.EndsWith(shorter, StringComparison.Ordinal);
    }

    private static string AddressOf(string text)
    {
        var address = text.Trim();
        if (address.StartsWith("mailto:", StringComparison.OrdinalIgnoreCase))
            address = address["mailto:".Length..];
        return address.ToLowerInvariant();
    }

    /// <summary>A number may be written as a URI with an extension (RFC 3966 §3).</summary>
    private static string DigitsOf(string text) => new([.. text.Split(';')[0].Where(char.IsAsciiDigit)]);

    private static string WordsOf(string text) =>
        string.Join(' ', PlainWords.Of(text.Replace("\\n", " ", StringComparison.OrdinalIgnoreCase)).Order(StringComparer.Ordinal));
}
