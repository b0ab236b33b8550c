namespace EasyCaravan.Core.Planning;

/// <summary>Sums of sizes.</summary>
public static class ByteCountSum
{
    public static ByteCount Sum<T>(this IEnumerable<T> items, Func<T, ByteCount> size) =>
        items.Aggregate(ByteCount.Zero, (sum, item) => sum + size(item));
}
