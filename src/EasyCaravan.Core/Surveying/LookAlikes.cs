namespace EasyCaravan.Core.Surveying;

/// <summary>Accounts of a batch that look like the same person: one of them may be in the roster by mistake.</summary>
public static class LookAlikes
{
    /// <param name="people">By any key: the person's name and from account.</param>
    /// <returns>Each key that has a double, with the accounts that look like it.</returns>
    public static IReadOnlyDictionary<TKey, IReadOnlyList<string>> Find<TKey>(IEnumerable<(TKey Key, string Name, string Account)> people)
        where TKey : notnull
    {
        var all = people.ToList();
        var alike = new Dictionary<TKey, HashSet<string>>();
        foreach (
            var same in all.GroupBy(p => Plain(p.Name))
                .Concat(all.GroupBy(p => Mailbox(p.Account)))
                .Where(g => g.Key.Length > 0 && g.Count() > 1)
        )
        {
            foreach (var person in same)
            {
                if (!alike.TryGetValue(person.Key, out var others))
                    alike[person.Key] = others = [];
                others.UnionWith(same.Where(o => o.Account != person.Account).Select(o => o.Account));
            }
        }
        return alike
            .Where(a => a.Value.Count > 0)
            .ToDictionary(a => a.Key, a => (IReadOnlyList<string>)[.. a.Value.Order(StringComparer.Ordinal)]);
    }

    /// <summary>Names without case, order and punctuation: 'Marsh, Aoife' is 'Aoife Marsh'.</summary>
    private static string Plain(string name)
    {
        var letters = string.Concat(name.Select(c => char.IsLetterOrDigit(c) ? char.ToLowerInvariant(c) : ' '));
        return string.Join(' ', letters.Split(' ', StringSplitOptions.RemoveEmptyEntries).Order(StringComparer.Ordinal));
    }

    /// <summary>The mailbox whatever its domain, and without the detail after a plus (RFC 5233 §1): two addresses of one person.</summary>
    private static string Mailbox(string account)
    {
        var at = account.IndexOf('@', StringComparison.Ordinal);
        if (at <= 0)
            return "";
        var local = account[..at].ToLowerInvariant();
        var plus = local.IndexOf('+', StringComparison.Ordinal);
        return plus > 0 ? local[..plus] : local;
    }
}
