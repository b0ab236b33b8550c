using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Which moves of a batch a call means: by from account, to account or name. Ambiguous names are refused.</summary>
internal static class Selection
{
    public static async Task<(IReadOnlyList<long>? Moves, ProblemHttpResult? Problem)> ResolveAsync(
        Database database,
        string batch,
        IReadOnlyList<string>? who,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var own = db.Moves.Where(m => m.Batch == batch);
        if (!await own.AnyAsync(cancel))
            return (
                null,
                Problems.NotFound(
                    $"There is no batch '{batch}', or nobody is in it.",
                    "See 'caravan plan show' for the batches of the plan"
                )
            );
        // Everybody: nobody has to be looked up.
        if (who is null)
            return (null, null);
        var people = await own.Select(m => new
            {
                m.Id,
                m.FromAccount,
                m.ToAccount,
                m.Name,
            })
            .ToListAsync(cancel);
        var chosen = new List<long>();
        foreach (var word in who)
        {
            bool Is(string text) => text.Equals(word, StringComparison.OrdinalIgnoreCase);
            var exact = people.Where(p => Is(p.FromAccount)).ToList();
            var found = exact.Count > 0 ? exact : people.Where(p => Is(p.ToAccount) || Is(p.Name)).ToList();
            if (found.Count == 0)
                return (
                    null,
                    Problems.NotFound(
                        $"Nobody in batch '{batch}' is called '{word}'.",
                        "Use a from account, a to account or a name of the roster; 'caravan moves' lists them"
                    )
                );
            if (found.Count > 1)
                return (
                    null,
                    Problems.Invalid(
                        $"'{word}' is the name of {found.Count} people in batch '{batch}'.",
                        $"Use the account instead: {string.Join(", ", found.Select(p => p.FromAccount))}"
                    )
                );
            chosen.Add(found[0].Id);
        }
        return (chosen, null);
    }
}
