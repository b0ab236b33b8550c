namespace EasyCaravan.Protocols.Dav;

/// <summary>
/// How fast a service gives out items in the two ways of asking for many. Servers differ by a factor of forty in which they like, so the
/// standard way is measured while it is used, and where it is slow the other is tried once.
/// </summary>
/// <param name="multiGet">Items a second by the standard way, as measured before; null: not yet.</param>
/// <param name="query">The same of a query.</param>
public sealed class DavReadingSpeeds(double? multiGet = null, double? query = null)
{
    /// <summary>Items a second; what is faster needs no other way.</summary>
    private const double Slow = 500;

    /// <summary>Items in one answer by which a speed can be told.</summary>
    private const int Enough = 20;

    private readonly Lock _lock = new();
    private double? _multiGet = multiGet;
    private double? _query = query;
    private (double? MultiGet, double? Query) _kept = (multiGet, query);
    private bool _queryIsRefused;

    /// <summary>What was measured, if it is worth to be kept: for the first time, or far from what was kept before.</summary>
    public (double? MultiGet, double? Query)? TakeNews()
    {
        lock (_lock)
        {
            if (!IsFar(_kept.MultiGet, _multiGet) && !IsFar(_kept.Query, _query))
                return null;
            return _kept = (_multiGet, _query);
        }

        static bool IsFar(double? before, double? now) => now is { } n && (before is not { } b || n > 2 * b || b > 2 * n);
    }

    /// <summary>Items that it is worth asking for together: a query gives all of a collection, however few are wanted.</summary>
    public int Together
    {
        get
        {
            lock (_lock)
                return _query > _multiGet ? 500 : 50;
        }
    }

    /// <param name="wanted">Items that are needed.</param>
    /// <param name="all">Items of the collection, which a query would give.</param>
    public bool IsQueryFaster(int wanted, int all)
    {
        lock (_lock)
            return !_queryIsRefused
                && _multiGet is { } slow and < Slow
                && wanted >= Enough
                && (_query is { } fast ? all / fast < wanted / slow : all <= 10 * wanted);
    }

    public void MultiGetTook(int items, TimeSpan time)
    {
        if (items >= Enough)
            lock (_lock)
                _multiGet = Mean(_multiGet, items / time.TotalSeconds);
    }

    public void QueryTook(int items, TimeSpan time)
    {
        if (items >= Enough)
            lock (_lock)
                _query = Mean(_query, items / time.TotalSeconds);
    }

    public void QueryWasRefused()
    {
        lock (_lock)
            _queryIsRefused = true;
    }

    private static double Mean(double? before, double now) => before is { } b ? (b + now) / 2 : now;
}
