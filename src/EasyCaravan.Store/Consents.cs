using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>Refresh tokens, sealed: from consents given here, and those that authorization servers gave in place of a roster's.</summary>
public sealed class Consents(Database database, Journal journal, ISecrets secrets, TimeProvider time)
{
    /// <summary>The token that a person's consent gave; null when nobody consented.</summary>
    public Task<string?> FindAsync(string service, string account, CancellationToken cancel) =>
        FindOriginAsync(service, account, "", cancel);

    /// <summary>The token that took the place of a roster's; the roster's own when none did.</summary>
    public async Task<string> CurrentAsync(string service, string account, string rostered, CancellationToken cancel) =>
        await FindOriginAsync(service, account, Print(rostered), cancel) ?? rostered;

    /// <summary>Seals what a person's consent gave; moves of the account that were stopped for want of it go on.</summary>
    /// <param name="timetables">Of each batch.</param>
    /// <returns>The moves that go on.</returns>
    public Task<IReadOnlyList<long>> GiveAsync(
        string service,
        string account,
        string token,
        string? scope,
        string who,
        Func<string, Timetable?> timetables,
        CancellationToken cancel
    ) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                await SetAsync(db, service, account, "", token, scope, who, cancel);
                journal.Add(db, who, null, null, $"{account} consented at {service}");
                var now = Instant.FromDateTimeOffset(time.GetUtcNow());
                var moves = await db
                    .Moves.AsTracking()
                    .Include(m => m.Legs)
                    .Include(m => m.Crossing)
                    .Where(m => m.FromAccount == account || m.ToAccount == account)
                    .ToListAsync(cancel);
                return [.. moves.Where(m => StoppedAtSignIn.GoOn(m, service, timetables(m.Batch), now)).Select(m => m.Id)];
            },
            cancel
        );

    /// <summary>When the owner of an account consented at the service last; null: they have not.</summary>
    public async Task<DateTimeOffset?> GivenAtAsync(string service, string account, CancellationToken cancel)
    {
        await using var db = database.Read();
        var given = await db.Consents.FirstOrDefaultAsync(c => c.Service == service && c.Account == account && c.Origin == "", cancel);
        return given is null ? null : DateTimeOffset.FromUnixTimeMilliseconds(given.At);
    }

    /// <summary>The accounts whose owners have consented at the service.</summary>
    public async Task<IReadOnlySet<string>> GivenAsync(string service, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Consents.Where(c => c.Service == service && c.Origin == "").Select(c => c.Account).ToHashSetAsync(cancel);
    }

    /// <param name="former">The token that was handed in.</param>
    public Task RotateAsync(string service, string account, string former, string next, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var rows = await db.Consents.Where(c => c.Service == service && c.Account == account).ToListAsync(cancel);
                var row = rows.Find(r => secrets.Open(r.Token) == former);
                await SetAsync(db, service, account, row?.Origin ?? Print(former), next, row?.Scope, row?.Who ?? Journal.Service, cancel);
            },
            cancel
        );

    private async Task<string?> FindOriginAsync(string service, string account, string origin, CancellationToken cancel)
    {
        await using var db = database.Read();
        var row = await db.Consents.FirstOrDefaultAsync(c => c.Service == service && c.Account == account && c.Origin == origin, cancel);
        return row is null ? null : secrets.Open(row.Token);
    }

    private async Task SetAsync(
        CaravanDb db,
        string service,
        string account,
        string origin,
        string token,
        string? scope,
        string who,
        CancellationToken cancel
    )
    {
        var row = await db
            .Consents.AsTracking()
            .FirstOrDefaultAsync(c => c.Service == service && c.Account == account && c.Origin == origin, cancel);
        if (row is null)
            db.Consents.Add(
                row = new ConsentRow
                {
                    Service = service,
                    Account = account,
                    Origin = origin,
                    Token = "",
                    Who = who,
                }
            );
        (row.Token, row.Scope, row.Who, row.At) = (secrets.Seal(token), scope, who, time.GetUtcNow().ToUnixTimeMilliseconds());
    }

    private static string Print(string token) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(token)));
}
