using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>A page of the ledger with the two collections that it connects.</summary>
/// <param name="known">What the ledger keeps of it.</param>
/// <param name="from">As it was listed at the beginning of the leg.</param>
/// <param name="to">The same of the to side; null: the collection stays behind.</param>
/// <param name="isMadeNow">There is nothing in it yet but what this leg puts there.</param>
internal sealed class CollectionWork(LedgerFolder page, CollectionPage known, CollectionState from, CollectionState? to, bool isMadeNow)
{
    public LedgerFolder Page => page;

    public CollectionPage Known { get; set; } = known;

    public CollectionState From => from;

    public CollectionState? To => to;

    public bool IsMadeNow => isMadeNow;

    /// <summary>Set once all was carried: what the from side held, and how many items these are.</summary>
    public (CollectionMark Mark, long Found)? Carried { get; set; }

    public bool IsComplete => Page is { Cursor: not null, Reopened: false };

    /// <summary>Nothing changed on the from side since the page was complete.</summary>
    public bool IsFromSame => IsComplete && From.Mark.IsSame(Known.FromMark);

    /// <summary>Nothing changed on the to side either, so that nothing has to be asked.</summary>
    public bool IsSame => IsFromSame && (To is null || To.Mark.IsSame(Known.ToMark));
}
