using System.IO.Hashing;

namespace EasyCaravan.Core.Proving;

/// <summary>Which items belong to a sample.</summary>
internal static class ComparedShare
{
    /// <summary>The same items each time, so that a comparison that goes on later chooses no others.</summary>
    /// <param name="share">Above 0 and at most 1.</param>
    public static bool Has(long page, uint number, double share) =>
        share >= 1 || XxHash64.HashToUInt64(BitConverter.GetBytes(((ulong)page << 32) | number)) < share * ulong.MaxValue;
}
