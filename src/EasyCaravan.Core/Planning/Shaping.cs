namespace EasyCaravan.Core.Planning;

/// <summary>What happens to a folder whose name the to side cannot hold as it is.</summary>
public enum NameWay
{
    /// <summary>It lands under a name as near as possible, and that is said.</summary>
    Change,

    /// <summary>It stays behind.</summary>
    Leave,
}

/// <summary>What happens to two folders that the to side would take for one.</summary>
public enum ClashWay
{
    /// <summary>The second gets a number.</summary>
    Number,

    /// <summary>They become one folder.</summary>
    Merge,
}

/// <summary>How names are made to fit the to side. Every use of it is said before and after.</summary>
/// <param name="ReservedSuffix">Put after a name that the to side keeps for itself.</param>
/// <param name="Substitute">Stands for a character that the to side does not allow in a name.</param>
/// <param name="Joiner">Stands between names where the to side has fewer levels of folders.</param>
public sealed record Shaping(
    NameWay Reserved,
    string ReservedSuffix,
    NameWay Illegal,
    string Substitute,
    NameWay TooDeep,
    string Joiner,
    NameWay TooLong,
    ClashWay Clash
)
{
    public static Shaping Default { get; } =
        new(NameWay.Change, " (old)", NameWay.Change, "_", NameWay.Change, " - ", NameWay.Change, ClashWay.Number);
}
