using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>How one kind is compared.</summary>
/// <param name="CompareAsync">Goes on from the progress that it is given, and writes down after each step how far it has come.</param>
public sealed record ComparedKind(Kind Kind, Func<ComparisonProgress, CancellationToken, Task<ComparisonProgress>> CompareAsync);

/// <summary>
/// Reads both sides of a move anew, kind by kind and item by item, because a person wants to see it with their own eyes. Like a pass it may
/// be stopped at any moment, and goes on where it was.
/// </summary>
public sealed class Comparison(ILedger ledger, IReadOnlyList<ComparedKind> kinds, Action<string> journal)
{
    public async Task RunAsync(CancellationToken cancel)
    {
        var progress = await ledger.ComparisonAsync(cancel);
        if (progress is null or { IsDone: true })
            return;
        foreach (var kind in kinds.SkipWhile(k => progress.Kind is { } at && kinds.Any(o => o.Kind == at) && k.Kind != at).ToList())
        {
            if (progress.Kind != kind.Kind)
                progress = progress with { Kind = kind.Kind, Page = 0, Number = 0 };
            progress = await kind.CompareAsync(progress, cancel);
        }
        await ledger.RecordComparisonAsync(progress with { IsDone = true }, cancel);
        journal(
            $"both sides were read anew: {progress.Compared} item(s) compared, {progress.Differing} differ, {progress.FlagsChanged} "
                + $"with flags changed on the new side, {progress.Arrived} arrived on the old side since"
        );
    }
}
