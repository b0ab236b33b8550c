using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>Batches that commands made, which are no part of the plan that somebody wrote.</summary>
public sealed class Errands(Database database, Journal journal, TimeProvider time)
{
    internal static async Task<List<Errand>> ReadAsync(CaravanDb db, CancellationToken cancel) =>
        await db.Errands.AsNoTracking().OrderBy(e => e.Id).Select(e => new Errand(e.Name, e.Text)).ToListAsync(cancel);

    public async Task<IReadOnlyList<ErrandRow>> ListAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Errands.AsNoTracking().OrderBy(e => e.Id).ToListAsync(cancel);
    }

    /// <summary>Adds an errand with its people. Nobody has begun.</summary>
    /// <param name="key">Asked for again with the same word, nothing is added.</param>
    /// <param name="textOf">Its piece of plan, by the name that it gets.</param>
    /// <param name="people">With accounts, logins and sealed secrets; their batch is set here.</param>
    /// <param name="what">For the journal.</param>
    /// <returns>Its name, which is its batch's too.</returns>
    public Task<string> AddAsync(
        ErrandKind kind,
        string? key,
        Func<string, string> textOf,
        IReadOnlyList<MoveRow> people,
        IReadOnlyList<Kind> carry,
        DateTimeOffset? keepUntil,
        string who,
        string what,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            async db =>
            {
                if (key is not null && await db.Errands.AsNoTracking().FirstOrDefaultAsync(e => e.Key == key, cancel) is { } before)
                    return before.Name;
                var now = time.GetUtcNow();
                var next = 1 + (await db.Errands.MaxAsync(e => (long?)e.Id, cancel) ?? 0);
                var name = $"{kind.ToString().ToLowerInvariant()}-{next}";
                db.Errands.Add(
                    new ErrandRow
                    {
                        Id = next,
                        Name = name,
                        Key = key,
                        Kind = kind,
                        Text = textOf(name),
                        CreatedAt = now.ToUnixTimeMilliseconds(),
                        CreatedBy = who,
                        KeepUntil = keepUntil?.ToUnixTimeMilliseconds(),
                    }
                );
                journal.Add(db, who, name, null, what);
                await db.SaveChangesAsync(cancel);
                foreach (var person in people)
                    person.Batch = name;
                await NewMoves.InsertAsync(db, name, people, [.. carry], Instant.FromDateTimeOffset(now), cancel);
                return name;
            },
            cancel
        );

    /// <summary>Takes an errand away whose people have not begun. What has begun stays on record.</summary>
    /// <returns>Null: there is none of this name. False: somebody has begun.</returns>
    public Task<bool?> RemoveAsync(string name, string who, CancellationToken cancel) =>
        database.WriteAsync<bool?>(
            async db =>
            {
                if (await db.Errands.AsNoTracking().FirstOrDefaultAsync(e => e.Name == name, cancel) is null)
                    return null;
                var hasBegun = await db.Moves.AnyAsync(
                    m =>
                        m.Batch == name && (m.Condition == ConditionKind.Running || (m.Stage != Stage.Listed && m.Stage != Stage.Surveyed)),
                    cancel
                );
                if (hasBegun)
                    return false;
                await PlanPeople.RemoveBatchAsync(db, name, cancel);
                database.MayHoldForgotten = true;
                await db.Errands.Where(e => e.Name == name).ExecuteDeleteAsync(cancel);
                journal.Add(db, who, name, null, "took the errand away");
                return true;
            },
            cancel
        );

    /// <summary>The parcels of an errand are gone from their place.</summary>
    public Task MarkDeletedAsync(long id, string name, string who, string what, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await db
                    .Errands.Where(e => e.Id == id)
                    .ExecuteUpdateAsync(set => set.SetProperty(e => e.DeletedAt, time.GetUtcNow().ToUnixTimeMilliseconds()), cancel);
                journal.Add(db, who, name, null, what);
            },
            cancel
        );
}
