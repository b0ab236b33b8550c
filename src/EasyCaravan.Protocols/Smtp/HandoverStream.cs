namespace EasyCaravan.Protocols.Smtp;

/// <summary>
/// Watches what is written to a server: a letter is handed over from DATA on, and can have been taken only once the line with a single dot
/// behind it is out (RFC 5321 §4.1.1.4).
/// </summary>
internal sealed class HandoverStream(Stream inner) : Stream
{
    private static readonly byte[] s_data = "DATA\r\n"u8.ToArray();
    private static readonly byte[] s_end = "\r\n.\r\n"u8.ToArray();

    /// <summary>The last octets that were written, as many as the end of a letter has.</summary>
    private byte[] _last = [];

    /// <summary>Called before DATA is written; false: it is not to be written.</summary>
    public Func<CancellationToken, Task<bool>>? BeforeData { get; set; }

    /// <summary>DATA was asked for, and is not to be sent.</summary>
    public bool IsStopped { get; private set; }

    public bool HasBegun { get; private set; }

    /// <summary>The letter is out whole.</summary>
    public bool HasEnded { get; private set; }

    public void Reset() => (HasBegun, HasEnded, IsStopped) = (false, false, false);

    public override bool CanRead => true;

    public override bool CanSeek => false;

    public override bool CanWrite => true;

    public override bool CanTimeout => inner.CanTimeout;

    public override int ReadTimeout
    {
        get => inner.ReadTimeout;
        set => inner.ReadTimeout = value;
    }

    public override int WriteTimeout
    {
        get => inner.WriteTimeout;
        set => inner.WriteTimeout = value;
    }

    public override long Length => throw new NotSupportedException("A connection has no length.");

    public override long Position
    {
        get => throw new NotSupportedException("A connection has no position.");
        set => throw new NotSupportedException("A connection has no position.");
    }

    public override int Read(byte[] buffer, int offset, int count) => inner.Read(buffer, offset, count);

    public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        inner.ReadAsync(buffer, cancellationToken);

    public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    public override void Write(byte[] buffer, int offset, int count) =>
        throw new NotSupportedException("It is written asynchronously only.");

    public override async ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
    {
        if (!HasBegun && buffer.Span.StartsWith(s_data))
        {
            if (BeforeData is { } ask && !await ask(cancellationToken))
            {
                IsStopped = true;
                throw new IOException("Somebody else has the letter.");
            }
            HasBegun = true;
        }
        // Counted as out before it is: what a failing write has sent nobody knows.
        if (HasBegun && buffer.Length > 0)
        {
            var tail = buffer[^Math.Min(buffer.Length, s_end.Length)..].ToArray();
            _last = [.. _last.Concat(tail).TakeLast(s_end.Length)];
            HasEnded |= _last.AsSpan().SequenceEqual(s_end);
        }
        await inner.WriteAsync(buffer, cancellationToken);
    }

    public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        WriteAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    public override void Flush() => inner.Flush();

    public override Task FlushAsync(CancellationToken cancellationToken) => inner.FlushAsync(cancellationToken);

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException("A connection cannot seek.");

    public override void SetLength(long value) => throw new NotSupportedException("A connection has no length.");

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            inner.Dispose();
        base.Dispose(disposing);
    }
}
