namespace EasyCaravan.Protocols.Connecting;

/// <summary>
/// A connection while a library signs in over it. It notes that the other side closed it: the library may report that as words that it does
/// not understand, although such a server is only out of order, and is worth another try. And it bounds what the library reads: a line or a
/// literal without end would fill the memory.
/// </summary>
internal sealed class SignInStream(Stream inner) : PassingStream(inner)
{
    /// <summary>Octets. A greeting, capabilities, namespaces and the steps of a sign-in have some kilobytes.</summary>
    private const int Most = 1024 * 1024;

    private int _read;

    public bool HasEnded { get; private set; }

    /// <summary>The other side said more than any sign-in has.</summary>
    public bool IsEndless { get; private set; }

    public override int Read(byte[] buffer, int offset, int count)
    {
        var read = base.Read(buffer, offset, count);
        Note(read, count);
        return read;
    }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        var read = await base.ReadAsync(buffer, cancellationToken);
        Note(read, buffer.Length);
        return read;
    }

    private void Note(int read, int wanted)
    {
        HasEnded |= read == 0 && wanted > 0;
        _read += read;
        if (_read <= Most)
            return;
        IsEndless = true;
        throw new IOException($"More than {Most} octets came during a sign-in.");
    }
}
