using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>How long each move lets others go first, as the schedule says.</summary>
internal static class Handicaps
{
    public static async Task SetAsync(CaravanDb db, Batch batch, QueueOrder order, CancellationToken cancel)
    {
        var isSmallFirst = order is QueueOrder.SmallFirst;
        var moves = await db
            .Moves.Where(m => m.Batch == batch.Name)
            .Select(m => new
            {
                m.Id,
                m.Priority,
                m.Handicap,
                Octets = isSmallFirst ? db.Surveys.Where(s => s.MoveId == m.Id).Select(s => (long?)s.Octets).FirstOrDefault() : null,
            })
            .ToListAsync(cancel);
        foreach (var move in moves)
        {
            // Whoever was not surveyed may be the largest.
            var size = isSmallFirst ? new ByteCount(move.Octets ?? long.MaxValue / 2) : (ByteCount?)null;
            var handicap = (long)Schedule.Handicap(move.Priority ?? batch.Priority, size).TotalMilliseconds;
            if (handicap != move.Handicap)
                await db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE moves SET "Handicap" = {handicap}, "Turn" = "Turn" - "Handicap" + {handicap} WHERE "Id" = {move.Id}
                    """,
                    cancel
                );
        }
    }
}
