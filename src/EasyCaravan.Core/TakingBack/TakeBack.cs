using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.TakingBack;

/// <summary>How one kind is taken back.</summary>
/// <param name="RunAsync">Given whether it is a dry run. Goes on where an earlier try was broken off.</param>
public sealed record TakenKind(Kind Kind, Func<bool, CancellationToken, Task> RunAsync);

/// <summary>
/// Undoes what a move put on the to side, kind by kind: because it went into the wrong account, or by wrong rules. It may be stopped at any
/// moment, and goes on where it was.
/// </summary>
/// <param name="endAsync">Called when all is done; not again where that was done before.</param>
public sealed class TakeBack(ITakeBackRecord record, IReadOnlyList<TakenKind> kinds, Func<bool, CancellationToken, Task> endAsync)
{
    public async Task RunAsync(CancellationToken cancel)
    {
        if (await record.OrderAsync(cancel) is not { HasEnded: false } order)
            return;
        foreach (var kind in kinds)
            await kind.RunAsync(order.IsCheck, cancel);
        await endAsync(order.IsCheck, cancel);
    }
}
