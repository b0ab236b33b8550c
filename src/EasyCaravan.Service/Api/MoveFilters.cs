using System.Linq.Expressions;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Searches and orders the moves of a batch in the database, so that a table of 50,000 people costs a page.</summary>
internal static class MoveFilters
{
    /// <returns>What is wrong with the words; null when nothing is.</returns>
    public static ProblemHttpResult? Read(string? search, string? stage, string? condition, bool needsYou, out MoveFilter filter)
    {
        var (knownStage, knownCondition) = (KebabWord.Read<MoveStage>(stage), KebabWord.Read<MoveCondition>(condition));
        filter = new MoveFilter(search, knownStage, knownCondition, needsYou);
        return stage is not null && knownStage is null ? Unknown<MoveStage>("stage", stage)
            : condition is not null && knownCondition is null ? Unknown<MoveCondition>("condition", condition)
            : null;
    }

    /// <returns>What is wrong with the word; null when nothing is.</returns>
    public static ProblemHttpResult? ReadOrder<T>(string? sort, out T order)
        where T : struct, Enum
    {
        order = KebabWord.Read<T>(sort) ?? default;
        return sort is not null && KebabWord.Read<T>(sort) is null ? Unknown<T>("order", sort) : null;
    }

    private static ProblemHttpResult Unknown<T>(string what, string word)
        where T : struct, Enum =>
        Problems.Invalid($"There is no {what} '{word}'.", $"One of {string.Join(", ", Enum.GetValues<T>().Select(KebabWord.Of))}");

    /// <param name="tolerance">Of the route on which these moves are.</param>
    public static IQueryable<MoveRow> Fitting(this IQueryable<MoveRow> moves, MoveFilter filter, LeftBehindTolerance tolerance)
    {
        if (filter.NeedsYou)
        {
            // A bound that is not set is one that nothing exceeds.
            var (items, share) = (tolerance.Items ?? long.MaxValue, tolerance.Share ?? 1);
            moves = moves.Where(m =>
                m.Condition == ConditionKind.NeedsYou || m.OpenLeftBehind > items || m.OpenLeftBehind > share * m.Found || m.Undecided > 0
            );
        }
        if (filter.Stage is { } word)
        {
            var stage = ContractWord.To<Stage>(word);
            moves = moves.Where(m => m.Stage == stage);
        }
        if (filter.Condition is { } named)
        {
            var condition = ContractWord.To<ConditionKind>(named);
            moves = moves.Where(m => m.Condition == condition);
        }
        if (string.IsNullOrWhiteSpace(filter.Search))
            return moves;
        // Both sides in lower case, because databases differ in whether LIKE respects case.
#pragma warning disable CA1304, CA1311, CA1862
        var words = filter.Search.Trim().ToLowerInvariant();
        return moves.Where(m =>
            m.Name.ToLower().Contains(words)
            || m.FromAccount.ToLower().Contains(words)
            || m.ToAccount.ToLower().Contains(words)
            || (m.Note != null && m.Note.ToLower().Contains(words))
        );
#pragma warning restore CA1304, CA1311, CA1862
    }

    /// <summary>In this order, and of equals as the rosters have them.</summary>
    public static IQueryable<MoveRow> InOrder(this IQueryable<MoveRow> moves, MoveOrder order, bool descending)
    {
        IOrderedQueryable<MoveRow> By<T>(Expression<Func<MoveRow, T>> key) =>
            descending ? moves.OrderByDescending(key) : moves.OrderBy(key);
#pragma warning disable CA1304, CA1311
        var sorted = order switch
        {
            MoveOrder.Roster => By(m => m.Id),
            MoveOrder.Name => By(m => m.Name.ToLower()),
            MoveOrder.Account => By(m => m.FromAccount.ToLower()),
            MoveOrder.Stage => By(m => m.Stage),
            MoveOrder.Condition => By(m => m.Condition),
            MoveOrder.Found => By(m => m.Found),
            MoveOrder.Carried => By(m => m.Carried),
            MoveOrder.LeftBehind => By(m => m.LeftBehind),
            MoveOrder.Undecided => By(m => m.Undecided),
            MoveOrder.Octets => By(m => m.Octets),
        };
#pragma warning restore CA1304, CA1311
        return order is MoveOrder.Roster ? sorted : sorted.ThenBy(m => m.Id);
    }

    /// <summary>Of these moves, those that fit.</summary>
    /// <param name="only">Null: of all moves of the batch.</param>
    public static async Task<IReadOnlyList<long>> ChooseAsync(
        Database database,
        string batch,
        IReadOnlyList<long>? only,
        MoveFilter filter,
        LeftBehindTolerance tolerance,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var fitting = await db.Moves.Where(m => m.Batch == batch).Fitting(filter, tolerance).Select(m => m.Id).ToListAsync(cancel);
        return only is null ? fitting : [.. fitting.Intersect(only)];
    }
}
