namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>What a token of a script is (RFC 5228 §8.1).</summary>
public enum SieveTokenKind
{
    Identifier,

    /// <summary>Begins with a colon, which is not part of its text.</summary>
    Tag,
    Number,

    /// <summary>Quoted, or a multi-line text; its text is the value, without quotes and dot-stuffing.</summary>
    Text,

    /// <summary>One of <c>{ } [ ] ( ) , ;</c></summary>
    Mark,
    End,
}

/// <summary>One token, with its place among the script's octets.</summary>
/// <param name="Start">Of its first octet.</param>
/// <param name="After">Of the octet that follows it.</param>
public readonly record struct SieveToken(SieveTokenKind Kind, string Text, int Start, int After)
{
    public bool Is(char mark) => Kind is SieveTokenKind.Mark && Text[0] == mark;

    public override string ToString() => Kind is SieveTokenKind.End ? "the end" : $"\"{Text}\"";
}
