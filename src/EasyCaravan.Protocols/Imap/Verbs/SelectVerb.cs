using System.Buffers.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>A folder that is being opened, and what was learnt of it.</summary>
internal sealed class FolderOpening(FolderPath path, string raw, bool writable, string tag)
{
    public FolderPath Path { get; } = path;

    public string Raw { get; } = raw;

    public bool Writable { get; } = writable;

    public string Tag { get; } = tag;

    public uint? UidValidity { get; private set; }

    public uint? Exists { get; private set; }

    /// <summary>Null until its answer was read.</summary>
    public ImapResult? Result { get; set; }

    public void Take(ImapResponse response)
    {
        UidValidity = SelectVerb.ReadUidValidity(response) ?? UidValidity;
        Exists = SelectVerb.ReadExists(response) ?? Exists;
    }
}

/// <summary>SELECT and EXAMINE: opens a folder; with QRESYNC (RFC 7162 §3.2.5) the answer tells what changed since.</summary>
internal static class SelectVerb
{
    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name, bool writable) => new(writable ? ImapVerbs.Select : ImapVerbs.Examine, name);

    /// <param name="name">Quoted.</param>
    public static ImapCommand Since(string name, uint uidValidity, ulong modSeq) =>
        new(ImapVerbs.Examine, $"{name} (QRESYNC ({uidValidity} {modSeq}))");

    public static uint? ReadExists(ImapResponse response)
    {
        var text = response.Text.Span;
        return text.EndsWith(" EXISTS"u8) && Utf8Parser.TryParse(text[2..], out uint count, out _) ? count : null;
    }

    public static uint? ReadUidValidity(ImapResponse response)
    {
        var text = response.Text.Span;
        var at = text.IndexOf("[UIDVALIDITY "u8);
        return at >= 0 && Utf8Parser.TryParse(text[(at + 13)..], out uint uidValidity, out _) ? uidValidity : null;
    }

    /// <summary>Whether keywords may be made (RFC 9051 §7.1, PERMANENTFLAGS); null for another response.</summary>
    public static bool? ReadKeepsKeywords(ImapResponse response)
    {
        var text = response.Text.Span;
        return text.IndexOf("[PERMANENTFLAGS ("u8) is var at and >= 0 ? text[at..].IndexOf("\\*"u8) >= 0 : null;
    }

    /// <summary>VANISHED (RFC 7162 §3.2.10), of earlier or of now; null for another response.</summary>
    public static NumberSet? ReadVanished(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        if (!tokens.TryUntagged("VANISHED"u8))
            return null;
        if (!tokens.AtEnd && tokens.Rest[0] == '(')
            tokens.SkipValue();
        tokens.SkipSpaces();
        return ImapSyntax.ReadNumbers(tokens.Rest);
    }
}
