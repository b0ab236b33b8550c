namespace EasyCaravan.Protocols.Connecting;

/// <summary>A connection of which it is noted how the server's side of the TLS handshake begins.</summary>
internal sealed class HandshakeWitness(Stream inner, HandshakeStart start) : PassingStream(inner)
{
    public override int Read(byte[] buffer, int offset, int count)
    {
        var read = base.Read(buffer, offset, count);
        start.Note(buffer.AsSpan(offset, read));
        return read;
    }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        var read = await base.ReadAsync(buffer, cancellationToken);
        start.Note(buffer.Span[..read]);
        return read;
    }
}
