using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Api;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Parcels;

/// <summary>An account that an errand reads or writes to, with its way to sign in as a roster or a person gave it.</summary>
internal sealed record ErrandAccount(string Service, string Name, string Account, string Login, string? Secret, string? SecretReference)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{Account} at {Service}";
}

/// <summary>Finds the accounts of an errand in the rosters of the plan in force.</summary>
internal sealed class ErrandAccounts(Database database)
{
    /// <summary>Everybody of a batch, on one side of it.</summary>
    public async Task<(IReadOnlyList<ErrandAccount>? Accounts, ProblemHttpResult? Problem)> OfBatchAsync(
        Plan plan,
        string name,
        SideWord side,
        CancellationToken cancel
    )
    {
        if (plan.Batches.FirstOrDefault(b => b.Name == name) is not { } batch)
            return (null, BatchApi.NoBatch(name));
        var route = plan.RouteOf(batch);
        await using var db = database.Read();
        var moves = await db.Moves.Where(m => m.Batch == name).OrderBy(m => m.Id).ToListAsync(cancel);
        var at = side is SideWord.From ? route.From : route.To;
        // Several may land in one account, which is packed once.
        return ([.. moves.Select(m => AccountOf(m, side, at)).DistinctBy(a => a.Account, StringComparer.OrdinalIgnoreCase)], null);
    }

    /// <summary>One account by its name, at a service or wherever a roster has it.</summary>
    /// <param name="prefersFrom">Who moves under one address has an account on both sides: then the old one is meant.</param>
    public async Task<(ErrandAccount? Account, ProblemHttpResult? Problem)> FindAsync(
        Plan plan,
        string account,
        string? service,
        bool prefersFrom,
        CancellationToken cancel
    )
    {
        if (service is not null && ServiceApi.Find(plan, service).Problem is { } unknown)
            return (null, unknown);
        await using var db = database.Read();
        var moves = await db.Moves.Where(m => m.FromAccount == account || m.ToAccount == account).OrderBy(m => m.Id).ToListAsync(cancel);
        var found = new List<(SideWord Side, ErrandAccount Account)>();
        foreach (var move in moves)
        {
            if (plan.Batches.FirstOrDefault(b => b.Name == move.Batch) is not { } batch)
                continue;
            var route = plan.RouteOf(batch);
            foreach (
                var (side, at, who) in new[] { (SideWord.From, route.From, move.FromAccount), (SideWord.To, route.To, move.ToAccount) }
            )
                if (who == account && (service ?? at) == at && plan.Services.First(s => s.Name == at).Parcels is null)
                    found.Add((side, AccountOf(move, side, at)));
        }
        if (prefersFrom && found.Exists(f => f.Side is SideWord.From))
            found.RemoveAll(f => f.Side is SideWord.To);
        var services = found.Select(f => f.Account.Service).Distinct().ToList();
        if (services.Count > 1)
            return (null, Problems.Invalid($"{account} is an account at {string.Join(" and at ", services)}.", "Say at which with --at"));
        if (found.Count > 0)
            return (found[0].Account, null);
        if (service is not null && NeedsNoSecret(plan.Services.First(s => s.Name == service)))
            return (new ErrandAccount(service, account, account, account, null, null), null);
        return (
            null,
            Problems.NotFound(
                service is null ? $"No roster has the account {account}." : $"No roster has the account {account} at {service}.",
                "Name an account of a roster; or, of a service for which the administrator or one client signs in, any with --at"
            )
        );
    }

    private static bool NeedsNoSecret(Core.Planning.Service service) =>
        service.SignIn
            is SignIn.OnBehalf
                or SignIn.OAuth { Grant: OAuthGrant.ClientCredentials or OAuthGrant.JwtBearer }
                or SignIn.Password { Shared: not null };

    private static ErrandAccount AccountOf(MoveRow move, SideWord side, string service) =>
        side is SideWord.From
            ? new ErrandAccount(service, move.Name, move.FromAccount, move.FromLogin, move.FromSecret, move.FromSecretReference)
            : new ErrandAccount(service, move.Name, move.ToAccount, move.ToLogin, move.ToSecret, move.ToSecretReference);
}
