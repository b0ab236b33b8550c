using System.Collections.Concurrent;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Service.Surveying;

/// <summary>What folder rules do for one person, in numbers.</summary>
internal sealed record PreviewedPerson(PersonPreview Person, IReadOnlyList<DigestedRule> Rules)
{
    public static PreviewedPerson Of(MoveRow move, SurveyDigest digest) =>
        new(
            new PersonPreview(
                move.FromAccount,
                move.Name,
                digest.Folders,
                digest.Landing,
                digest.Folders - digest.Landing,
                digest.Changed,
                digest.Merged
            ),
            digest.Rules
        );
}

/// <summary>
/// Where folders would land under rules that somebody tries. Every survey of the batch has to be read again for that, so the last trial of
/// each batch is kept: whoever reads it page by page waits once.
/// </summary>
internal sealed class FolderTrials(SurveyCache cache)
{
    private readonly ConcurrentDictionary<string, (Trial Trial, IReadOnlyList<PreviewedPerson> Counts)> _last = new();

    /// <summary>Changes whenever the result could.</summary>
    private sealed record Trial(string Rules, Plan InForce, string Decisions, int People, long? Newest);

    /// <param name="plan">The plan in force with the rules that are tried.</param>
    public async Task<IReadOnlyList<PreviewedPerson>> TryAsync(SurveyedBatch surveyed, Plan plan, string rules, CancellationToken cancel)
    {
        var batch = surveyed.Batch.Name;
        var trial = new Trial(
            rules,
            surveyed.Plan,
            string.Join(';', surveyed.Decisions.Select(d => d.Id)),
            surveyed.Moves.Count,
            surveyed.Moves.Max(m => m.Survey?.TakenAt)
        );
        if (_last.TryGetValue(batch, out var last) && last.Trial == trial)
            return last.Counts;
        var rulesOf = await cache.RulesAsync(plan, batch, cancel);
        var counts = new List<PreviewedPerson>();
        await foreach (var (move, inventory) in cache.InventoriesAsync(surveyed.Whole, cancel))
            counts.Add(PreviewedPerson.Of(move.Move, SurveyDigest.Make(inventory, rulesOf(move.Move), surveyed.From, surveyed.To, [])));
        _last[batch] = (trial, counts);
        return counts;
    }
}
