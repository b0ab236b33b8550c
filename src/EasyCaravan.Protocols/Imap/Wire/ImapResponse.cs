using System.Text;

namespace EasyCaravan.Protocols.Imap.Wire;

/// <summary>One response with its literals set aside: the text keeps <c>{n}</c> where each stood.</summary>
internal readonly record struct ImapResponse(ReadOnlyMemory<byte> Text, IReadOnlyList<byte[]> Literals)
{
    public bool IsUntagged => Text.Span is [(byte)'*', (byte)' ', ..];

    public bool IsContinuation => Text.Span is [(byte)'+', ..];

    public bool IsTagged(string tag) =>
        Text.Length > tag.Length && Text.Span[tag.Length] == ' ' && Text.Span.StartsWith(Encoding.ASCII.GetBytes(tag));

    public override string ToString() => Encoding.UTF8.GetString(Text.Span);
}

/// <summary>How a command ended: OK, NO or BAD, with its response code (RFC 9051 §7.1) and text.</summary>
/// <param name="Code">Without brackets, such as <c>OVERQUOTA</c> or <c>APPENDUID 38505 3955</c>; or null.</param>
internal sealed record ImapResult(string Status, string? Code, string Text)
{
    public bool IsOk => Status == "OK";

    public string? CodeName => Code?.Split(' ')[0];

    /// <param name="text">After the tag or the star.</param>
    public static ImapResult Parse(ReadOnlySpan<byte> text)
    {
        var line = Encoding.UTF8.GetString(text);
        var space = line.IndexOf(' ', StringComparison.Ordinal);
        var status = (space < 0 ? line : line[..space]).ToUpperInvariant();
        var rest = space < 0 ? "" : line[(space + 1)..];
        if (!rest.StartsWith('[') || rest.IndexOf(']', StringComparison.Ordinal) is not (> 0 and var end))
            return new ImapResult(status, null, rest.Trim());
        return new ImapResult(status, rest[1..end].ToUpperInvariant(), rest[(end + 1)..].Trim());
    }
}
