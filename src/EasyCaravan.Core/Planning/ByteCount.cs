using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// A size in octets: of a message, of what an account holds, or of what a service allows. It is never negative, and it cannot be taken
/// for a number of messages. As text it stands in decimal units, as mail services state their limits; in JSON it is a number.
/// </summary>
[JsonConverter(typeof(Json))]
public readonly record struct ByteCount : IComparable<ByteCount>
{
    private static readonly (string Unit, long Octets)[] s_units =
    [
        ("TB", 1_000_000_000_000),
        ("GB", 1_000_000_000),
        ("MB", 1_000_000),
        ("kB", 1_000),
        ("B", 1),
    ];

    /// <exception cref="ArgumentOutOfRangeException"><paramref name="octets"/> is negative.</exception>
    public ByteCount(long octets)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(octets);
        Count = octets;
    }

    public static ByteCount Zero => default;

    public long Count { get; }

    public static ByteCount operator +(ByteCount a, ByteCount b) => new(checked(a.Count + b.Count));

    public static bool operator <(ByteCount a, ByteCount b) => a.Count < b.Count;

    public static bool operator >(ByteCount a, ByteCount b) => a.Count > b.Count;

    public static bool operator <=(ByteCount a, ByteCount b) => a.Count <= b.Count;

    public static bool operator >=(ByteCount a, ByteCount b) => a.Count >= b.Count;

    /// <summary>Reads <c>25MB</c>, <c>2 GB</c>, <c>512kB</c> or a bare number of octets.</summary>
    public static bool TryParse(string text, out ByteCount size)
    {
        size = default;
        text = text.Trim();
        var digits = text.TakeWhile(c => char.IsAsciiDigit(c) || c == '.').Count();
        if (!decimal.TryParse(text[..digits], NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number))
            return false;
        var unit = text[digits..].Trim();
        var factor = unit.Length == 0 ? 1 : s_units.FirstOrDefault(u => u.Unit.Equals(unit, StringComparison.OrdinalIgnoreCase)).Octets;
        if (factor == 0 || number > long.MaxValue / factor)
            return false;
        size = new ByteCount((long)(number * factor));
        return true;
    }

    /// <summary>What is left of it without the other; nothing, where the other is larger.</summary>
    public ByteCount Less(ByteCount other) => new(Math.Max(0, Count - other.Count));

    /// <summary>By how much the two differ, whichever is larger.</summary>
    public ByteCount DistanceTo(ByteCount other) => new(Math.Abs(Count - other.Count));

    public int CompareTo(ByteCount other) => Count.CompareTo(other.Count);

    public override string ToString()
    {
        var octets = Count;
        var (unit, factor) = s_units.FirstOrDefault(u => octets >= u.Octets, ("B", 1));
        var number = (decimal)octets / factor;
        return string.Create(CultureInfo.InvariantCulture, $"{number:0.##} {unit}");
    }

    private sealed class Json : JsonConverter<ByteCount>
    {
        public override ByteCount Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            reader.TryGetInt64(out var octets) && octets >= 0
                ? new ByteCount(octets)
                : throw new JsonException("a size is a whole number from 0 on");

        public override void Write(Utf8JsonWriter writer, ByteCount value, JsonSerializerOptions options) =>
            writer.WriteNumberValue(value.Count);
    }
}
