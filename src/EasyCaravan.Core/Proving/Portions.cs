using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Proving;

/// <summary>Parts work into steps, after each of which it is written down how far it has come.</summary>
internal static class Portions
{
    /// <param name="most">Items of a step.</param>
    /// <param name="largest">Octets after which a step ends; one item alone may have more.</param>
    public static IEnumerable<List<T>> Of<T>(IEnumerable<T> all, Func<T, ByteCount> size, int most, ByteCount largest)
    {
        var (step, octets) = (new List<T>(), ByteCount.Zero);
        foreach (var one in all)
        {
            step.Add(one);
            octets += size(one);
            if (step.Count < most && octets < largest)
                continue;
            yield return step;
            (step, octets) = ([], ByteCount.Zero);
        }
        if (step.Count > 0)
            yield return step;
    }
}
