using System.Text;

namespace EasyCaravan.Core.Ports;

/// <summary>
/// Where a collection or an item is on its service: the path of its address. Servers write one and the same path in several ways (RFC 3986
/// §6.2.2), so two are equal where their octets are once nothing is encoded.
/// </summary>
public readonly struct Href : IEquatable<Href>
{
    /// <summary>What stands in a path as it is (RFC 3986 §3.3).</summary>
    private const string Plain = "-._~!$&'()*+,;=:@";

    private readonly string? _written;
    private readonly string? _octets;

    /// <param name="written">The path as the service writes it, encoded, without host.</param>
    public Href(string written) => (_written, _octets) = (written, Decode(written).TrimEnd('/'));

    /// <summary>The name of the last part, as people would read it.</summary>
    public string Name => Encoding.UTF8.GetString(Encoding.Latin1.GetBytes((_octets ?? "")[((_octets ?? "").LastIndexOf('/') + 1)..]));

    /// <summary>As the service writes it: in no other way is it asked for.</summary>
    public override string ToString() => _written ?? "";

    /// <summary>The item of this name in this collection.</summary>
    public Href Item(string name) => new($"{ToString().TrimEnd('/')}/{Encode(name)}");

    /// <summary>It is this collection's own item, not one of a collection within it.</summary>
    public bool IsItemOf(Href collection) =>
        _octets is { } own
        && collection._octets is { } above
        && own.Length > above.Length + 1
        && own.StartsWith(above, StringComparison.Ordinal)
        && own[above.Length] == '/'
        && own.IndexOf('/', above.Length + 1) < 0;

    public bool Equals(Href other) => _octets == other._octets;

    public override bool Equals(object? obj) => obj is Href other && Equals(other);

    public override int GetHashCode() => (_octets ?? "").GetHashCode(StringComparison.Ordinal);

    public static bool operator ==(Href one, Href other) => one.Equals(other);

    public static bool operator !=(Href one, Href other) => !one.Equals(other);

    private static string Encode(string name)
    {
        var path = new StringBuilder();
        foreach (var octet in Encoding.UTF8.GetBytes(name))
            if (char.IsAsciiLetterOrDigit((char)octet) || Plain.Contains((char)octet, StringComparison.Ordinal))
                path.Append((char)octet);
            else
                path.Append(System.Globalization.CultureInfo.InvariantCulture, $"%{octet:X2}");
        return path.ToString();
    }

    /// <summary>A character for each octet. What is no hexadecimal number stays as it is.</summary>
    private static string Decode(string written)
    {
        var octets = Encoding.UTF8.GetBytes(written);
        var plain = new StringBuilder(octets.Length);
        for (var i = 0; i < octets.Length; i++)
            if (
                octets[i] == '%'
                && i + 2 < octets.Length
                && char.IsAsciiHexDigit((char)octets[i + 1])
                && char.IsAsciiHexDigit((char)octets[i + 2])
            )
            {
                // An encoded slash is part of a name, not what parts names.
                var octet = (char)Convert.ToByte(Encoding.ASCII.GetString(octets, i + 1, 2), 16);
                plain.Append(octet == '/' ? "%2F" : octet.ToString());
                i += 2;
            }
            else
                plain.Append((char)octets[i]);
        return plain.ToString();
    }
}
