namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Finds contacts that are, or may be, the same as another, among thousands.</summary>
internal sealed class ContactIndex<T>
{
    /// <summary>Last digits of a number by which it is found, with and without the country's code.</summary>
    private const int LastDigits = 7;

    private readonly Dictionary<string, List<(T Value, ContactIdentity Identity)>> _byKey = new(StringComparer.Ordinal);

    public void Add(ContactIdentity identity, T value)
    {
        foreach (var key in KeysOf(identity))
        {
            if (!_byKey.TryGetValue(key, out var same))
                _byKey[key] = same = [];
            same.Add((value, identity));
        }
    }

    /// <summary>Those that are the same first, then those of which nobody can tell; some may come twice.</summary>
    public IEnumerable<(T Value, ContactMatch Match)> Find(ContactIdentity identity) =>
        KeysOf(identity)
            .SelectMany(k => _byKey.GetValueOrDefault(k) ?? [])
            .Select(c => (c.Value, Match: identity.Matches(c.Identity)))
            .Where(c => c.Match is not ContactMatch.Different)
            .OrderByDescending(c => c.Match);

    private static IEnumerable<string> KeysOf(ContactIdentity identity)
    {
        if (identity.Uid is { } uid)
            yield return $"uid {uid}";
        if (identity.Name.Length > 0)
            yield return $"name {identity.Name}";
        else if (identity.Organisation.Length > 0)
            yield return $"organisation {identity.Organisation}";
        foreach (var address in identity.Addresses)
            yield return $"address {address}";
        foreach (var phone in identity.Phones.Where(p => p.Length >= LastDigits))
            yield return $"phone {phone[^LastDigits..]}";
    }
}
