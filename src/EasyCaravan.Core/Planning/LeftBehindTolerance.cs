namespace EasyCaravan.Core.Planning;

/// <summary>How much may stay behind of one move before somebody has to look at it. It stays listed, and counted, all the same.</summary>
/// <param name="Items">Null: any number within the share.</param>
/// <param name="Share">Of all items found, 0 to 1; null: any share within the number.</param>
public sealed record LeftBehindTolerance(long? Items, double? Share)
{
    /// <summary>Where the plan says nothing: not a single one.</summary>
    public static LeftBehindTolerance None { get; } = new(0, null);

    /// <param name="open">Items left behind about which nobody has decided.</param>
    /// <param name="found">All items found.</param>
    public bool Covers(long open, long found) => !(open > Items) && !(open > Share * found);
}
