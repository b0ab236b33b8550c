using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.Lines;

/// <summary>Reads from a server that may fall silent: each read has to give something within a time.</summary>
/// <param name="lost">Makes the fault for a read that fails.</param>
internal sealed class PatientStream(Stream inner, TimeSpan patience, Func<Exception, Exception> lost) : PassingStream(inner)
{
    public override bool CanWrite => false;

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancellationToken);
        limit.CancelAfter(patience);
        try
        {
            return await base.ReadAsync(buffer, limit.Token);
        }
        catch (Exception e)
            when (e is HttpRequestException or IOException or OperationCanceledException && !cancellationToken.IsCancellationRequested)
        {
            throw lost(e);
        }
    }

    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException("It is read asynchronously only.");

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException("It is read only.");

    public override void Flush() => throw new NotSupportedException("It is read only.");
}
