namespace EasyCaravan.Protocols.Connecting;

/// <summary>Gives a greeting to read first: after STARTTLS a server does not greet again, but whoever signs in waits for it.</summary>
internal sealed class PrefixedStream(byte[] greeting, Stream inner) : PassingStream(inner)
{
    private int _given;

    public override int Read(byte[] buffer, int offset, int count) =>
        TryGreet(buffer.AsSpan(offset, count), out var given) ? given : base.Read(buffer, offset, count);

    public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        TryGreet(buffer.Span, out var given) ? ValueTask.FromResult(given) : base.ReadAsync(buffer, cancellationToken);

    private bool TryGreet(Span<byte> buffer, out int given)
    {
        given = Math.Min(buffer.Length, greeting.Length - _given);
        greeting.AsSpan(_given, given).CopyTo(buffer);
        _given += given;
        return given > 0;
    }
}
