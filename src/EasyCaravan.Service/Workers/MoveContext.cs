using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Workers;

/// <summary>Between which services a person moves, and by which rules.</summary>
internal sealed record MoveContext(MovePerson Person, Core.Planning.Service From, Core.Planning.Service To, CarryRules Rules)
{
    /// <summary>Of an errand, who asked for it; null: a batch of the plan.</summary>
    public string? AskedBy { get; init; }
}

/// <summary>Reads the context of a move as the plan in force and people's decisions have it now.</summary>
internal sealed class MoveContexts(CurrentPlan plan, Database database)
{
    public async Task<MoveContext> OfAsync(MovePerson person, CancellationToken cancel)
    {
        var current = (await plan.GetAsync(cancel)).Plan!;
        var route = current.Routes.First(r => r.Name == current.Batches.First(b => b.Name == person.Batch).Route);
        await using var db = database.Read();
        var move = await db.Moves.FirstAsync(m => m.Id == person.Id, cancel);
        return new MoveContext(
            person,
            current.Services.First(s => s.Name == route.From),
            current.Services.First(s => s.Name == route.To),
            await Decisions.RulesOfAsync(db, current, move, cancel)
        )
        {
            AskedBy = await db.Errands.Where(e => e.Name == person.Batch).Select(e => e.CreatedBy).FirstOrDefaultAsync(cancel),
        };
    }
}
