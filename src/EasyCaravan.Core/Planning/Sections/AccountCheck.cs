namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Checks that each account is moved once, and that no two people land in one.</summary>
internal static class AccountCheck
{
    /// <summary>Nobody twice on the from side of a service, and no two people in one account of the to side, over all batches.</summary>
    public static void Check(Plan plan, PlanErrors errors)
    {
        var all =
            from batch in plan.Batches
            let route = plan.Routes.FirstOrDefault(r => r.Name == batch.Route)
            where route is not null
            from person in batch.People
            select (batch, route, person);
        var fromSeen = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var toSeen = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var shared = new Dictionary<string, List<(string Place, FolderPath? Under)>>(StringComparer.OrdinalIgnoreCase);
        foreach (var (batch, route, person) in all)
        {
            var place = $"{batch.RosterFile} line {person.Line} ({person.Name})";
            // Who is packed stays where they are, and may move all the same.
            var isPacked = plan.Services.FirstOrDefault(s => s.Name == route.To)?.Parcels is not null;
            if (!isPacked && !fromSeen.TryAdd($"{route.From} {person.FromAccount}", place))
                errors.Add(
                    new PlanError(
                        batch.RosterFile,
                        person.Line,
                        $"{person.FromAccount} is already moved by {fromSeen[$"{route.From} {person.FromAccount}"]}",
                        "each from_account once in all batches of the plan"
                    )
                );
            var root = person.ToRoot ?? route.Root;
            var account = $"{route.To} {person.ToAccount} {(root == CarryRules.AccountRoot ? null : root)}";
            if (!route.SharedToAccounts)
            {
                if (!toSeen.TryAdd(account, place))
                    errors.Add(
                        new PlanError(
                            batch.RosterFile,
                            person.Line,
                            $"{person.ToAccount} already receives the mail of {toSeen[account]}",
                            "two people cannot land in one account: give each a to_account of their own, or allow it with the route's "
                                + "shared-to-accounts"
                        )
                    );
            }
            else
            {
                // Even then each has a folder of their own: what two people carried into one folder, nobody could tell apart again.
                var under =
                    (person.ToUnder ?? route.Under) is { } u && FolderPath.TryParse(u, out _)
                        ? CarryRules.PlaceFor(u, person.Name, person.FromAccount)
                        : null;
                if (!shared.TryGetValue(account, out var others))
                    shared[account] = others = [];
                if (others.FirstOrDefault(o => Overlap(o.Under, under)) is { Place: { } other })
                    errors.Add(
                        new PlanError(
                            batch.RosterFile,
                            person.Line,
                            $"{person.ToAccount} is shared, and {person.Name} would land above, below or in the folder of {other}",
                            "a folder for each: under: \"Old mail/{name}\" in the route, or to_under in the roster"
                        )
                    );
                others.Add((place, under));
            }
            if (route.From == route.To && person.FromAccount.Equals(person.ToAccount, StringComparison.OrdinalIgnoreCase))
                errors.Add(
                    new PlanError(
                        batch.RosterFile,
                        person.Line,
                        $"{person.FromAccount} would be moved onto itself",
                        "another to_account, or another service as the route's to"
                    )
                );
        }
    }

    /// <summary>One is the other, or above it; the account's root is above all.</summary>
    private static bool Overlap(FolderPath? a, FolderPath? b)
    {
        if (a is null || b is null)
            return true;
        var common = Math.Min(a.Names.Length, b.Names.Length);
        return a.Names[..common].SequenceEqual(b.Names[..common], StringComparer.OrdinalIgnoreCase);
    }
}
