using EasyCaravan.Core.Pacing;

namespace EasyCaravan.Protocols.Connecting;

/// <summary>
/// How a server's side of a TLS handshake began. The library that speaks TLS tells only that it failed; what the server sent tells why.
/// </summary>
internal sealed class HandshakeStart
{
    /// <summary>A record's head (RFC 8446 §5.1), and of a ServerHello the version that it chose (§4.1.3).</summary>
    private const int Looked = 11;

    private const byte Alert = 21;
    private const byte Handshake = 22;
    private const byte ServerHello = 2;

    // RFC 8446 §6.2.
    private const byte HandshakeFailure = 40;
    private const byte ProtocolVersion = 70;
    private const byte InsufficientSecurity = 71;

    private readonly byte[] _first = new byte[Looked];
    private int _count;

    public void Note(ReadOnlySpan<byte> octets)
    {
        if (_count == Looked || octets.Length == 0)
            return;
        var taken = Math.Min(Looked - _count, octets.Length);
        octets[..taken].CopyTo(_first.AsSpan(_count));
        _count += taken;
    }

    /// <summary>Why the handshake failed.</summary>
    /// <param name="place">The host and its port.</param>
    /// <param name="wasAsked">The server agreed to TLS in plain words before.</param>
    public (Cause Cause, string What) Explain(string place, bool wasAsked) =>
        _count == 0 ? (Cause.ConnectionLost, $"{place} closed the connection before TLS began")
        : _first[0] is < 20 or > 24
            ? wasAsked
                    ? (
                        Cause.TlsTampered,
                        $"after {place} had agreed to TLS, unprotected text came, which somebody on the way may have put in"
                    )
                : (Cause.TlsNotOffered, $"{place} does not speak TLS")
        : IsTooOld ? (Cause.TlsTooOld, $"{place} has no version and cipher of TLS in common with us: 1.2 and 1.3 are taken")
        : _first[0] is Alert && _count > 6 ? (Cause.TlsNotOffered, $"{place} broke the TLS handshake off (alert {_first[6]})")
        : (Cause.TlsNotOffered, $"the TLS handshake with {place} failed");

    private bool IsTooOld =>
        _first[0] is Alert && _count > 6
            ? _first[6] is HandshakeFailure or ProtocolVersion or InsufficientSecurity
            : _first[0] is Handshake && _count == Looked && _first[5] is ServerHello && (_first[9], _first[10]) is (< 3, _) or (3, < 3);
}
