using EasyCaravan.Core.Carrying.Collections;

namespace EasyCaravan.Core.Tests;

/// <summary>How many items are written at the same time is found out by measuring.</summary>
public sealed class WritingLanesTests
{
    [Theory]
    [InlineData(8, 111.0, 101.0, 102.0, 64.0)]
    [InlineData(1, 70.0, 70.0, 71.0, 70.0)]
    [InlineData(1, 20.0, 40.0, 60.0, 80.0)]
    [InlineData(4, 100.0, 99.0, 70.0, 69.0)]
    public void The_fewest_that_are_about_as_fast_are_taken(int found, double eight, double four, double two, double one)
    {
        var speeds = new Dictionary<int, double>
        {
            [8] = eight,
            [4] = four,
            [2] = two,
            [1] = one,
        };
        var lanes = new WritingLanes();
        for (var batch = 0; batch < 10; batch++)
        {
            var now = lanes.Next(8);
            lanes.Took(now, 50, TimeSpan.FromSeconds(50 / speeds[now]));
        }
        Assert.Equal(found, lanes.Next(8));
        Assert.Equal(found, lanes.TakeNews());
        Assert.Null(lanes.TakeNews());
        Assert.Equal(Math.Min(found, 3), lanes.Next(3));
        Assert.Equal(found, new WritingLanes(found).Next(8));
    }

    [Fact]
    public void A_few_items_tell_nothing()
    {
        var lanes = new WritingLanes();
        lanes.Took(lanes.Next(8), 5, TimeSpan.FromSeconds(1));
        Assert.Equal(8, lanes.Next(8));
        Assert.Null(lanes.TakeNews());
    }
}
