using System.Globalization;

namespace EasyCaravan.Core.Planning;

/// <summary>Octets as people write them: decimal units, as mail services state their limits.</summary>
public static class ByteCount
{
    private static readonly (string Unit, long Octets)[] s_units =
    [
        ("TB", 1_000_000_000_000),
        ("GB", 1_000_000_000),
        ("MB", 1_000_000),
        ("kB", 1_000),
        ("B", 1),
    ];

    /// <summary>Reads <c>25MB</c>, <c>2 GB</c>, <c>512kB</c> or a bare number of octets.</summary>
    public static bool TryParse(string text, out long octets)
    {
        octets = 0;
        text = text.Trim();
        var digits = text.TakeWhile(c => char.IsAsciiDigit(c) || c == '.').Count();
        if (!decimal.TryParse(text[..digits], NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number))
            return false;
        var unit = text[digits..].Trim();
        var factor = unit.Length == 0 ? 1 : s_units.FirstOrDefault(u => u.Unit.Equals(unit, StringComparison.OrdinalIgnoreCase)).Octets;
        if (factor == 0 || number > long.MaxValue / factor)
            return false;
        octets = (long)(number * factor);
        return true;
    }

    public static string Write(long octets)
    {
        var (unit, factor) = s_units.FirstOrDefault(u => octets >= u.Octets, ("B", 1));
        var number = (decimal)octets / factor;
        return string.Create(CultureInfo.InvariantCulture, $"{number:0.##} {unit}");
    }
}
