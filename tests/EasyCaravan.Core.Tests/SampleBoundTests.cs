using EasyCaravan.Core.Proving;

namespace EasyCaravan.Core.Tests;

/// <summary>What a sample says of all items.</summary>
public sealed class SampleBoundTests
{
    [Theory]
    // Of none that differ, the bound has a closed form: 1 - 0.05^(1/n).
    [InlineData(10, 0, 0.2589)]
    [InlineData(300, 0, 0.009936)]
    [InlineData(62_000, 0, 0.00004832)]
    // From published tables of the exact one-sided bound.
    [InlineData(100, 1, 0.04656)]
    [InlineData(100, 5, 0.1023)]
    [InlineData(1000, 10, 0.01689)]
    [InlineData(5, 5, 1)]
    [InlineData(0, 0, 1)]
    public void The_bound_is_the_exact_one(long compared, long differing, double expected) =>
        Assert.Equal(expected, SampleBound.AtMost(compared, differing), expected * 0.002);

    [Fact]
    public void In_a_simulation_it_holds_as_often_as_it_says()
    {
        var chance = new Random(4711);
        var (holds, samples) = (0, 2000);
        for (var i = 0; i < samples; i++)
        {
            var share = chance.NextDouble() * 0.1;
            var differing = Enumerable.Range(0, 200).Count(_ => chance.NextDouble() < share);
            if (share <= SampleBound.AtMost(200, differing))
                holds++;
        }
        Assert.InRange((double)holds / samples, SampleBound.Confidence - 0.01, 1);
    }
}
