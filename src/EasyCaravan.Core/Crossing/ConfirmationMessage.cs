using System.Buffers;
using System.Text;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Crossing;

/// <summary>The message by which a service asks to confirm an address to which it shall forward.</summary>
public static class ConfirmationMessage
{
    /// <summary>Codes and addresses of pages are shorter.</summary>
    private const int LongestCode = 2_000;

    private static readonly SearchValues<char> s_ends = SearchValues.Create(" \t\r\n<>\"");

    /// <param name="header">The lines From and Subject among others.</param>
    public static bool Fits(ForwardingConfirmation asked, ReadOnlySpan<byte> header)
    {
        var (from, subject) = (asked.From is null, asked.Subject is null);
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
        {
            from |= Ascii.EqualsIgnoreCase(name, "from"u8) && Holds(value, asked.From);
            subject |= Ascii.EqualsIgnoreCase(name, "subject"u8) && Holds(value, asked.Subject);
        }
        return from && subject;
    }

    private static bool Holds(ReadOnlySpan<byte> value, string? part) =>
        part is not null && Encoding.UTF8.GetString(value).Contains(part, StringComparison.OrdinalIgnoreCase);

    /// <summary>What stands in the place of <c>{code}</c>: up to the next blank, or to what follows it in the pattern.</summary>
    /// <param name="text">The text of the message.</param>
    public static string? CodeIn(ForwardingConfirmation asked, string text)
    {
        var parts = asked.Code.Split("{code}", 2);
        var start = text.IndexOf(parts[0], StringComparison.OrdinalIgnoreCase);
        if (start < 0)
            return null;
        var rest = text.AsSpan(start + parts[0].Length).TrimStart();
        var end =
            parts.Length > 1 && parts[1].Length > 0
                ? rest.IndexOf(parts[1].AsSpan(), StringComparison.OrdinalIgnoreCase)
                : rest.IndexOfAny(s_ends);
        var code = (end < 0 ? rest : rest[..end]).Trim();
        return code.Length is > 0 and <= LongestCode && !code.ToString().Any(char.IsControl) ? code.ToString() : null;
    }
}
