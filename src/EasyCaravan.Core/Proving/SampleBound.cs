namespace EasyCaravan.Core.Proving;

/// <summary>What a random sample says of all items.</summary>
public static class SampleBound
{
    /// <summary>How sure the statement is: in one of twenty samples it would not be true.</summary>
    public const double Confidence = 0.95;

    /// <summary>
    /// The largest share of all items that may differ, given how many of the sample did: the exact upper bound for a binomial share. Where
    /// the sample is a large part of all items, the true bound is lower still.
    /// </summary>
    /// <param name="compared">Items of the sample.</param>
    /// <param name="differing">How many of them differed.</param>
    public static double AtMost(long compared, long differing)
    {
        if (compared <= 0 || differing >= compared)
            return 1;
        var (low, high) = ((double)differing / compared, 1.0);
        for (var step = 0; step < 60; step++)
        {
            var share = (low + high) / 2;
            if (AtMostSoMany(compared, differing, share) > 1 - Confidence)
                low = share;
            else
                high = share;
        }
        return high;
    }

    /// <summary>How likely it is that no more than this many of a sample differ.</summary>
    private static double AtMostSoMany(long compared, long differing, double share)
    {
        // Term by term from that of none, as logarithms: (1 - share)^compared is too small to be written otherwise.
        var (term, sum) = (compared * Math.Log(1 - share), 0.0);
        for (long k = 0; k <= differing; k++)
        {
            sum += Math.Exp(term);
            term += Math.Log((double)(compared - k) / (k + 1)) + Math.Log(share) - Math.Log(1 - share);
        }
        return sum;
    }
}
