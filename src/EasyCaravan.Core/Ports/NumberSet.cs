using System.Collections;

namespace EasyCaravan.Core.Ports;

/// <summary>A set of item numbers kept as ascending ranges: small even for a mailbox of a million.</summary>
public sealed class NumberSet : IEnumerable<uint>
{
    private readonly List<(uint First, uint Last)> _ranges = [];

    public NumberSet() { }

    public NumberSet(IEnumerable<uint> numbers)
    {
        foreach (var number in numbers.Order())
            Add(number, number);
    }

    public static NumberSet OfRange(uint first, uint last)
    {
        var numbers = new NumberSet();
        numbers.Add(first, last);
        return numbers;
    }

    public IReadOnlyList<(uint First, uint Last)> Ranges => _ranges;

    public long Count { get; private set; }

    /// <summary>Adds a range; cheapest in ascending order, right in any.</summary>
    public void Add(uint first, uint last)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThan(first, last);
        if (_ranges.Count == 0 || first > _ranges[^1].Last && first - 1 > _ranges[^1].Last)
        {
            _ranges.Add((first, last));
            Count += (long)last - first + 1;
            return;
        }
        // Everything that touches or overlaps becomes one range.
        var low = FirstEndingAtOrAfter(first == 0 ? 0 : first - 1);
        var high = low;
        while (high < _ranges.Count && (last == uint.MaxValue || _ranges[high].First <= last + 1))
        {
            first = Math.Min(first, _ranges[high].First);
            last = Math.Max(last, _ranges[high].Last);
            Count -= (long)_ranges[high].Last - _ranges[high].First + 1;
            high++;
        }
        _ranges.RemoveRange(low, high - low);
        _ranges.Insert(low, (first, last));
        Count += (long)last - first + 1;
    }

    public void Add(uint number) => Add(number, number);

    public void Clear()
    {
        _ranges.Clear();
        Count = 0;
    }

    public bool Contains(uint number)
    {
        var i = FirstEndingAtOrAfter(number);
        return i < _ranges.Count && _ranges[i].First <= number;
    }

    public NumberSet Except(NumberSet other)
    {
        var result = new NumberSet();
        var o = 0;
        foreach (var (first, last) in _ranges)
        {
            long next = first;
            while (o < other._ranges.Count && other._ranges[o].Last < first)
                o++;
            for (var i = o; i < other._ranges.Count && other._ranges[i].First <= last; i++)
            {
                if (other._ranges[i].First > next)
                    result.Add((uint)next, other._ranges[i].First - 1);
                next = (long)other._ranges[i].Last + 1;
            }
            if (next <= last)
                result.Add((uint)next, last);
        }
        return result;
    }

    /// <summary>Those that are in both.</summary>
    public NumberSet And(NumberSet other) => Except(Except(other));

    public NumberSet Or(NumberSet other)
    {
        var result = new NumberSet();
        foreach (var (first, last) in _ranges.Concat(other._ranges).OrderBy(r => r.First))
            result.Add(first, last);
        return result;
    }

    /// <summary>Those at or above a number.</summary>
    public NumberSet From(uint number)
    {
        var result = new NumberSet();
        foreach (var (first, last) in _ranges)
            if (last >= number)
                result.Add(Math.Max(first, number), last);
        return result;
    }

    /// <summary>Those below a number.</summary>
    public NumberSet Below(uint number) => Except(From(number));

    /// <summary>The same numbers in sets of at most <paramref name="size"/>, ascending.</summary>
    public IEnumerable<NumberSet> Slices(int size)
    {
        var slice = new NumberSet();
        foreach (var (first, last) in _ranges)
        {
            long next = first;
            while (next <= last)
            {
                var end = Math.Min(last, next + size - slice.Count - 1);
                slice.Add((uint)next, (uint)end);
                next = end + 1;
                if (slice.Count < size)
                    continue;
                yield return slice;
                slice = new NumberSet();
            }
        }
        if (slice.Count > 0)
            yield return slice;
    }

    public IEnumerator<uint> GetEnumerator()
    {
        foreach (var (first, last) in _ranges)
            for (long number = first; number <= last; number++)
                yield return (uint)number;
    }

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();

    /// <summary>As <c>1:4,7</c>, which is also how IMAP writes it (RFC 9051 §9, sequence-set).</summary>
    public override string ToString() => string.Join(',', _ranges.Select(r => r.First == r.Last ? $"{r.First}" : $"{r.First}:{r.Last}"));

    private int FirstEndingAtOrAfter(uint number)
    {
        int low = 0,
            high = _ranges.Count;
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (_ranges[middle].Last < number)
                low = middle + 1;
            else
                high = middle;
        }
        return low;
    }
}
