using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>A folder on its way through the steps of <see cref="MailCarrier"/>, and what each has learnt of it.</summary>
/// <param name="cursor">
/// Of the from side, as listed when the pass began. Messages that arrive after the listing are left to the next pass: they may be moves.
/// </param>
internal sealed class FolderJob(FolderWork work, FolderCursor cursor)
{
    private long _found;
    private ulong? _digest;

    public FolderWork Work => work;

    public FolderCursor Cursor => cursor;

    public FolderState From => work.Landing.From;

    /// <summary>Null where it stays behind.</summary>
    public FolderPath? To => work.Landing.To;

    /// <summary>The folder on the to side; null until it is made.</summary>
    public FolderCursor? There { get; private set; } = work.There?.Cursor;

    /// <summary>It was made in this pass, so that nothing can be in it.</summary>
    public bool MadeNow { get; private set; }

    /// <summary>The to side has it under a name that it takes for the same: in other letters, or in another Unicode form.</summary>
    public bool IsAlias { get; private set; }

    public LedgerFolder Page { get; set; } = null!;

    /// <summary>What the page has settled.</summary>
    public NumberSet Settled { get; set; } = new();

    /// <summary>The fresh messages are known.</summary>
    public bool IsLooked { get; private set; }

    /// <summary>All that it holds was listed, not just what changed.</summary>
    public bool IsLookedWhole { get; private set; }

    /// <summary>False where the account may not read it.</summary>
    public bool IsReadable { get; private set; } = true;

    /// <summary>What has to be settled.</summary>
    public NumberSet Fresh { get; private set; } = new();

    /// <summary>What is settled and no longer there.</summary>
    public NumberSet LeftFrom { get; private set; } = new();

    /// <summary>What the index says of some of the fresh ones.</summary>
    public IReadOnlyList<ItemInfo> Known { get; private set; } = [];

    /// <summary>Flags that may have changed since the page was complete.</summary>
    public IReadOnlyList<FlagUpdate> Flags { get; private set; } = [];

    /// <summary>What the folder on the to side holds.</summary>
    public NumberSet NumbersThere { get; set; } = new();

    /// <summary>What of it the ledger claims.</summary>
    public Claimed Claimed { get; set; } = new(new NumberSet(), new NumberSet());

    /// <summary>The numbers there were listed in this pass.</summary>
    public bool IsListedThere { get; set; }

    /// <summary>Its messages were matched anew, so that all of the to side's folder has to be accounted for.</summary>
    public bool IsMatchedAnew { get; set; }

    /// <summary>Numbers on the to side that this pass's messages got.</summary>
    public NumberSet Landed { get; } = new();

    /// <summary>The server took messages without telling their UIDs (no UIDPLUS).</summary>
    public bool IsUnsure { get; set; }

    public Pairing? Pairing { get; set; }

    /// <summary>Fresh ones that were deleted on the from side before they could be carried.</summary>
    public long Gone { get; set; }

    /// <summary>Fresh ones that are left to a later pass: they may be on their way to the new address.</summary>
    public NumberSet Waiting { get; } = new();

    public PageEnd End => new(Page.Id, EndCursor, _found - Gone - Waiting.Count, HoldsThere());

    /// <summary>What waits is fresh again in the next pass.</summary>
    private FolderCursor EndCursor =>
        Waiting.Count > 0 ? cursor with { Next = Waiting.Ranges[0].First }
        : cursor.Mark is null ? cursor with { Mark = _digest }
        : cursor;

    /// <summary>
    /// What the folder on the to side holds now, by what was listed and what was added: the next pass's listing shows whether that is so,
    /// at no cost. Null where something else happened to it meanwhile.
    /// </summary>
    private Membership? HoldsThere()
    {
        if (There is not { } there || To is null)
            return null;
        if (!IsListedThere && !MadeNow)
            return Landed.Count == 0 ? Page.Seen : null;
        if (IsMatchedAnew || IsUnsure || (MadeNow && !Page.IsNew) || Pairing?.LeavesDoubtful == true)
            return null;
        // An earlier pass was broken off, or the folder was not checked since. An append that was thought lost may have arrived beside its
        // second copy.
        if (Page is { IsNew: false, Seen: null })
            return null;
        // Somebody else added or removed messages since the folders were listed.
        if (NumbersThere.Count != there.Count || NumbersThere.From(there.Next).Count > 0)
            return null;
        var next = Landed.Count == 0 ? there.Next : Math.Max(there.Next, Landed.Ranges[^1].Last + 1);
        // A gap in the UIDs means that the server gave one to somebody else's message.
        return Landed.Count == next - there.Next
            ? new Membership(Page.ToEpoch ?? there.Epoch, next, (uint)(there.Count + Landed.Count))
            : null;
    }

    public void Take(MadeFolder made) => (There, MadeNow, IsAlias) = (made.Cursor, made.Cursor.Count == 0, made.WasThere);

    /// <summary>Takes the changes since the page was complete, if their counts agree with what the folder holds.</summary>
    public void Take(FolderChange change)
    {
        var gone = change.GoneOf(Settled);
        if (change.Count != Settled.Except(gone).Or(change.Fresh).Count)
            return;
        var late = LateOf(change.Fresh, change.Count);
        (LeftFrom, Fresh, Known, _found) = (gone, change.Fresh.Except(Settled).Except(late), change.Items, change.Count - late.Count);
        FlagsOf(change);
        IsLooked = true;
    }

    public void FlagsOf(FolderChange? change)
    {
        if (change is not null)
            (Flags, _digest) = (change.Flags, change.Digest);
    }

    public void TakeWhole(NumberSet present, IReadOnlyList<ItemInfo> known, ulong? digest)
    {
        var late = LateOf(present, present.Count);
        (LeftFrom, Fresh, Known, _found) = (
            Settled.Except(present),
            present.Except(Settled).Except(late),
            known,
            present.Count - late.Count
        );
        _digest = digest ?? _digest;
        IsLooked = IsLookedWhole = true;
    }

    public void TakeNothing()
    {
        LeftFrom = Settled;
        IsLooked = true;
        IsReadable = false;
    }

    /// <summary>
    /// What arrived after the folders were listed is left to the next pass: it may have been moved there out of a folder that was done
    /// already, and then it has to be moved on the to side, not copied. Where the listing's own count does not fit, it is not relied on.
    /// </summary>
    private NumberSet LateOf(NumberSet arrived, long present)
    {
        var late = arrived.From(cursor.Next).Except(Settled);
        return present - late.Count >= cursor.Count ? late : new NumberSet();
    }
}
