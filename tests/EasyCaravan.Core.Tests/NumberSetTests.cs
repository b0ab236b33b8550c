using CsCheck;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests;

public sealed class NumberSetTests
{
    private static readonly Gen<uint[]> Numbers = Gen.UInt[1, 60].Array[0, 40];

    [Fact]
    public void It_is_a_set_whatever_the_order() =>
        Numbers.Sample(numbers =>
        {
            var set = new NumberSet();
            foreach (var number in numbers)
                set.Add(number);
            Assert.Equal(numbers.Distinct().Order(), set);
            Assert.Equal(numbers.Distinct().Count(), set.Count);
            Assert.All(numbers, n => Assert.True(set.Contains(n)));
            Assert.False(set.Contains(61));
        });

    [Fact]
    public void Ranges_added_in_any_order_hold_each_number_once() =>
        Gen.Select(Gen.UInt[1, 50], Gen.UInt[0, 9])
            .Array[0, 15]
            .Sample(ranges =>
            {
                var set = new NumberSet();
                foreach (var (first, more) in ranges)
                    set.Add(first, first + more);
                var expected = ranges
                    .SelectMany(r => Enumerable.Range((int)r.Item1, (int)r.Item2 + 1))
                    .Distinct()
                    .Order()
                    .Select(n => (uint)n)
                    .ToList();
                Assert.Equal(expected, set);
                Assert.Equal(expected.Count, set.Count);
                for (var i = 1; i < set.Ranges.Count; i++)
                    Assert.True(set.Ranges[i].First > set.Ranges[i - 1].Last + 1);
            });

    [Fact]
    public void Except_is_the_difference() =>
        Gen.Select(Numbers, Numbers)
            .Sample((a, b) => Assert.Equal(a.Except(b).Order(), new NumberSet(a.Distinct()).Except(new NumberSet(b.Distinct()))));

    [Fact]
    public void Slices_hold_the_same_numbers_and_none_is_too_large() =>
        Gen.Select(Numbers, Gen.Int[1, 9])
            .Sample(
                (numbers, size) =>
                {
                    var set = new NumberSet(numbers.Distinct());
                    var slices = set.Slices(size).ToList();
                    Assert.Equal(set, slices.SelectMany(s => s));
                    Assert.All(slices, s => Assert.InRange(s.Count, 1, size));
                }
            );

    [Fact]
    public void The_largest_number_is_a_number_like_others()
    {
        var set = new NumberSet();
        set.Add(uint.MaxValue - 1, uint.MaxValue);
        set.Add(uint.MaxValue);
        Assert.Equal(2, set.Count);
        Assert.Equal($"{uint.MaxValue - 1}:{uint.MaxValue}", set.ToString());
        Assert.Equal(1, set.Except(new NumberSet([uint.MaxValue])).Count);
        Assert.Single(set.From(uint.MaxValue));
    }
}
