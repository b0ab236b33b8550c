using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Carrying;

/// <summary>What a running leg, survey or comparison has done so far with one kind. Lanes add to it while others read.</summary>
public sealed class Tally(Kind kind = Kind.Mail)
{
    public Kind Kind => kind;

    private long _expected,
        _carried,
        _paired,
        _excluded,
        _leftBehind,
        _octets,
        _flags,
        _moved,
        _removed,
        _differences;
    private long _looked,
        _updated,
        _again = long.MaxValue;
    private volatile string? _folder;

    /// <summary>Messages that the pass will have to settle, as far as known.</summary>
    public long Expected => Interlocked.Read(ref _expected);

    public long Carried => Interlocked.Read(ref _carried);

    public long Paired => Interlocked.Read(ref _paired);

    public long Excluded => Interlocked.Read(ref _excluded);

    public long LeftBehind => Interlocked.Read(ref _leftBehind);

    /// <summary>Octets of the messages carried.</summary>
    public ByteCount Octets => new(Interlocked.Read(ref _octets));

    /// <summary>Messages whose flags were brought up to date.</summary>
    public long FlagsChanged => Interlocked.Read(ref _flags);

    /// <summary>Contacts and events that were edited on the from side and brought up to date on the to side.</summary>
    public long Updated => Interlocked.Read(ref _updated);

    /// <summary>Messages that moved on the from side and were moved on the to side.</summary>
    public long Moved => Interlocked.Read(ref _moved);

    /// <summary>
    /// Messages deleted on the to side because their owner deleted them on the from side, or on the from side because they are proven to
    /// have arrived.
    /// </summary>
    public long Removed => Interlocked.Read(ref _removed);

    /// <summary>Differences between the sides that were found and need a decision.</summary>
    public long Differences => Interlocked.Read(ref _differences);

    /// <summary>Messages that a survey has looked at.</summary>
    public long Looked => Interlocked.Read(ref _looked);

    /// <summary>How long messages may take to come by themselves that are left to a later pass; null: there are none.</summary>
    public TimeSpan? Again => Interlocked.Read(ref _again) is < long.MaxValue and var ticks ? TimeSpan.FromTicks(ticks) : null;

    /// <summary>Something got on: messages that were only left behind do not count.</summary>
    public bool Progressed => Settled > LeftBehind || Updated > 0;

    public long Settled => Carried + Paired + Excluded + LeftBehind;

    /// <summary>A folder that is being worked on, for people.</summary>
    public string? Folder
    {
        get => _folder;
        set => _folder = value;
    }

    public void Expect(long messages) => Interlocked.Add(ref _expected, messages);

    public void Look(long messages) => Interlocked.Add(ref _looked, messages);

    public void Carry(long messages, ByteCount size)
    {
        Interlocked.Add(ref _carried, messages);
        Interlocked.Add(ref _octets, size.Count);
    }

    /// <summary>A message is left to a later pass. The one that may take the shortest time decides when that is.</summary>
    public void Wait(TimeSpan left)
    {
        long before;
        do before = Interlocked.Read(ref _again);
        while (left.Ticks < before && Interlocked.CompareExchange(ref _again, left.Ticks, before) != before);
    }

    public void Update(long items) => Interlocked.Add(ref _updated, items);

    public void Pair(long messages) => Interlocked.Add(ref _paired, messages);

    public void Exclude(long messages) => Interlocked.Add(ref _excluded, messages);

    public void LeaveBehind(long messages) => Interlocked.Add(ref _leftBehind, messages);

    public void Move(long messages) => Interlocked.Add(ref _moved, messages);

    public void Remove(long messages) => Interlocked.Add(ref _removed, messages);

    public void Differ(long differences) => Interlocked.Add(ref _differences, differences);

    public void ChangeFlags(long messages) => Interlocked.Add(ref _flags, messages);
}
