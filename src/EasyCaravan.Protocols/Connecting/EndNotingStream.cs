namespace EasyCaravan.Protocols.Connecting;

/// <summary>
/// Notes that the other side closed the connection. A library that reads from it may report that as words that it does not understand,
/// although such a server is only out of order, and is worth another try.
/// </summary>
internal sealed class EndNotingStream(Stream inner) : PassingStream(inner)
{
    public bool HasEnded { get; private set; }

    public override int Read(byte[] buffer, int offset, int count)
    {
        var read = base.Read(buffer, offset, count);
        HasEnded |= read == 0 && count > 0;
        return read;
    }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        var read = await base.ReadAsync(buffer, cancellationToken);
        HasEnded |= read == 0 && buffer.Length > 0;
        return read;
    }
}
