namespace EasyCaravan.Protocols.Connecting;

/// <summary>Gives a greeting to read first: after STARTTLS a server does not greet again, but whoever signs in waits for it.</summary>
internal sealed class PrefixedStream(byte[] greeting, Stream inner) : Stream
{
    private int _given;

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

    public override int Read(byte[] buffer, int offset, int count) =>
        TryGreet(buffer.AsSpan(offset, count), out var given) ? given : inner.Read(buffer, offset, count);

    public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        TryGreet(buffer.Span, out var given) ? ValueTask.FromResult(given) : inner.ReadAsync(buffer, cancellationToken);

    public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    public override void Write(byte[] buffer, int offset, int count) => inner.Write(buffer, offset, count);

    public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default) =>
        inner.WriteAsync(buffer, cancellationToken);

    public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        inner.WriteAsync(buffer, offset, count, cancellationToken);

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

    private bool TryGreet(Span<byte> buffer, out int given)
    {
        given = Math.Min(buffer.Length, greeting.Length - _given);
        greeting.AsSpan(_given, given).CopyTo(buffer);
        _given += given;
        return given > 0;
    }
}
