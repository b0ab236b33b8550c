namespace EasyCaravan.Protocols.Lines;

/// <summary>Reads from a server that may fall silent: each read has to give something within a time.</summary>
/// <param name="lost">Makes the fault for a read that fails.</param>
internal sealed class PatientStream(Stream inner, TimeSpan patience, Func<Exception, Exception> lost) : Stream
{
    public override bool CanRead => true;

    public override bool CanSeek => false;

    public override bool CanWrite => false;

    public override long Length => throw new NotSupportedException("A connection has no length.");

    public override long Position
    {
        get => throw new NotSupportedException("A connection has no position.");
        set => throw new NotSupportedException("A connection has no position.");
    }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancellationToken);
        limit.CancelAfter(patience);
        try
        {
            return await inner.ReadAsync(buffer, limit.Token);
        }
        catch (Exception e)
            when (e is HttpRequestException or IOException or OperationCanceledException && !cancellationToken.IsCancellationRequested)
        {
            throw lost(e);
        }
    }

    public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException("It is read asynchronously only.");

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException("It is read only.");

    public override void Flush() => throw new NotSupportedException("It is read only.");

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException("A connection cannot seek.");

    public override void SetLength(long value) => throw new NotSupportedException("A connection has no length.");

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            inner.Dispose();
        base.Dispose(disposing);
    }
}
