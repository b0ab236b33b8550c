using System.Globalization;
using EasyCaravan.Contract;
using Microsoft.AspNetCore.Http.HttpResults;

namespace EasyCaravan.Service.Api;

/// <summary>
/// Long lists page by page. A cursor says behind what the next page begins: the number of the last row where rows keep their order while
/// people read, and its place in the list, written with an @ before it, where they do not.
/// </summary>
internal static class Paging
{
    public const int Usual = 200;

    private const int Largest = 1000;

    public static int SizeOf(int limit) => Math.Clamp(limit, 1, Largest);

    /// <summary>The number in a cursor; null for the first page.</summary>
    public static (long? After, ProblemHttpResult? Problem) Read(string? cursor) =>
        cursor is null ? (null, null)
        : long.TryParse(cursor, NumberStyles.None, CultureInfo.InvariantCulture, out var after) ? (after, null)
        : (null, Problems.Invalid("The cursor is not one that this list gave.", "Leave it out for the first page"));

    public static bool IsPlace(string cursor) => cursor.StartsWith('@');

    /// <summary>The place in a cursor; null for the first page.</summary>
    public static (long? After, ProblemHttpResult? Problem) ReadPlace(string? cursor) =>
        Read(
            cursor is not null && IsPlace(cursor) ? cursor[1..]
            : cursor is null ? null
            : ""
        );

    /// <summary>Whether one of the texts has in it what is looked for; upper and lower case are the same.</summary>
    public static bool Fits(string? search, params ReadOnlySpan<string> texts)
    {
        if (string.IsNullOrWhiteSpace(search))
            return true;
        foreach (var text in texts)
            if (text.Contains(search.Trim(), StringComparison.OrdinalIgnoreCase))
                return true;
        return false;
    }

    /// <param name="rows">One more than fits the page, where there are more.</param>
    /// <param name="number">A row's own number.</param>
    public static Page<T> Of<T>(List<T> rows, int size, Func<T, long> number, long? total) =>
        new([.. rows.Take(size)], rows.Count > size ? Written(number(rows[size - 1])) : null, total);

    /// <summary>A page of rows that are all at hand.</summary>
    public static Page<T> Window<T>(IReadOnlyList<T> all, long skip, int size) =>
        Placed([.. all.Skip((int)Math.Min(skip, all.Count)).Take(size)], skip, all.Count);

    /// <summary>A page that begins at a place.</summary>
    public static Page<T> Placed<T>(IReadOnlyList<T> rows, long skip, long total) =>
        new(rows, skip + rows.Count < total ? $"@{Written(skip + rows.Count)}" : null, total);

    /// <summary>A page of a list of which nobody has counted the rows.</summary>
    /// <param name="rows">One more than fits the page, where there are more.</param>
    public static Page<T> Uncounted<T>(IReadOnlyList<T> rows, long skip, int size) =>
        new([.. rows.Take(size)], rows.Count > size ? $"@{Written(skip + size)}" : null, null);

    private static string Written(long number) => number.ToString(CultureInfo.InvariantCulture);
}
