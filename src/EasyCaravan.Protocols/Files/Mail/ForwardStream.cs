using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>Reads what can only be read forward, for several readers one after the other: closing it leaves it where it is.</summary>
internal sealed class ForwardStream(Stream octets) : ForwardReadStream
{
    public long At { get; private set; }

    /// <exception cref="InvalidDataException">It ends before.</exception>
    public void SkipTo(long offset)
    {
        var skipped = new byte[64 * 1024];
        while (At < offset)
            if (Read(skipped.AsSpan(0, (int)Math.Min(skipped.Length, offset - At))) == 0)
                throw new InvalidDataException("it is shorter than it was");
    }

    public void End() => octets.Dispose();

    public override int Read(Span<byte> buffer)
    {
        var read = octets.Read(buffer);
        At += read;
        return read;
    }
}
