using System.Globalization;

namespace EasyCaravan.Core.Formats.Csv;

/// <summary>
/// Reads dates of a column in which all are written alike. Where nothing tells the day from the month they are not guessed: a wrong
/// birthday is worse than one in the note.
/// </summary>
internal sealed class BirthdayReader
{
    private readonly bool? _dayFirst;

    public BirthdayReader(IEnumerable<string> values)
    {
        foreach (var value in values)
        {
            if (Parts(value) is not [var first, var second, _])
                continue;
            if (first > 12 || value.Contains('.', StringComparison.Ordinal))
                _dayFirst = true;
            else if (second > 12)
                _dayFirst = false;
            if (_dayFirst is not null)
                return;
        }
    }

    /// <returns>As in <c>1984-02-29</c>; null where it cannot be told for certain.</returns>
    public string? Read(string value)
    {
        if (DateOnly.TryParseExact(value, "yyyy-M-d", CultureInfo.InvariantCulture, DateTimeStyles.None, out var plain))
            return plain.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        if (_dayFirst is not { } dayFirst || Parts(value) is not [var first, var second, var year] || year < 100)
            return null;
        var (day, month) = dayFirst ? (first, second) : (second, first);
        return month is >= 1 and <= 12 && year is >= 1800 and < 10000 && day >= 1 && day <= DateTime.DaysInMonth(year, month)
            ? $"{year:0000}-{month:00}-{day:00}"
            : null;
    }

    private static int[]? Parts(string value) =>
        CellKinds.IsDate(value) && value.Split('.', '/', '-') is { Length: 3 } parts && parts[0].Length <= 2
            ? [.. parts.Select(p => int.Parse(p, CultureInfo.InvariantCulture))]
            : null;
}
