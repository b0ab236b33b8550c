using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.Smtp;

/// <summary>
/// Watches what is written to a server: a letter is handed over from DATA on, and can have been taken only once the line with a single dot
/// behind it is out (RFC 5321 §4.1.1.4).
/// </summary>
internal sealed class HandoverStream(Stream inner) : PassingStream(inner)
{
    private static readonly byte[] s_data = "DATA\r\n"u8.ToArray();
    private static readonly byte[] s_end = "\r\n.\r\n"u8.ToArray();

    /// <summary>The last octets that were written, as many as the end of a letter has.</summary>
    private byte[] _last = [];

    /// <summary>Called before DATA is written; false: it is not to be written.</summary>
    public Func<CancellationToken, Task<bool>>? BeforeData { get; set; }

    public bool HasBegun { get; private set; }

    /// <summary>The letter is out whole.</summary>
    public bool HasEnded { get; private set; }

    public void Reset() => (HasBegun, HasEnded) = (false, false);

    public override void Write(byte[] buffer, int offset, int count) =>
        throw new NotSupportedException("It is written asynchronously only.");

    public override async ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
    {
        if (!HasBegun && buffer.Span.StartsWith(s_data))
        {
            if (BeforeData is { } ask && !await ask(cancellationToken))
                throw new IOException("Somebody else has the letter.");
            HasBegun = true;
        }
        // Counted as out before it is: what a failing write has sent nobody knows.
        if (HasBegun && buffer.Length > 0)
        {
            var tail = buffer[^Math.Min(buffer.Length, s_end.Length)..].ToArray();
            _last = [.. _last.Concat(tail).TakeLast(s_end.Length)];
            HasEnded |= _last.AsSpan().SequenceEqual(s_end);
        }
        await base.WriteAsync(buffer, cancellationToken);
    }
}
