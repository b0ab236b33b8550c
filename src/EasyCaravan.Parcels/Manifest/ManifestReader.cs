namespace EasyCaravan.Parcels.Manifest;

/// <summary>Reads a manifest line by line in a bounded buffer.</summary>
public static class ManifestReader
{
    /// <param name="octets">Of the manifest.</param>
    /// <param name="name">Of the file that it is in, for what is said of it.</param>
    /// <exception cref="ParcelException">A line is none of a manifest.</exception>
    public static IEnumerable<ManifestRecord> Read(Stream octets, string name)
    {
        var buffer = new byte[64 * 1024];
        var (begin, end, line) = (0, 0, 0L);
        while (true)
        {
            var length = buffer.AsSpan(begin, end - begin).IndexOf((byte)'\n');
            if (length >= 0)
            {
                line++;
                if (Parse(buffer.AsSpan(begin, length), name, line) is { } record)
                    yield return record;
                begin += length + 1;
                continue;
            }
            if (begin > 0)
                buffer.AsSpan(begin, end - begin).CopyTo(buffer);
            (begin, end) = (0, end - begin);
            if (end == buffer.Length)
            {
                if (buffer.Length >= ManifestLine.Longest)
                    throw new ParcelException(ParcelCause.TooMuch, $"{name}: line {line + 1} of the manifest is longer than 1 MB");
                Array.Resize(ref buffer, buffer.Length * 2);
            }
            var read = octets.Read(buffer, end, buffer.Length - end);
            if (read == 0)
                break;
            end += read;
        }
        if (end > 0)
            throw new ParcelException(ParcelCause.Damaged, $"{name}: the manifest ends within a line");
    }

    private static ManifestRecord? Parse(ReadOnlySpan<byte> line, string name, long number)
    {
        try
        {
            return ManifestLine.Read(line);
        }
        catch (FormatException e)
        {
            throw new ParcelException(ParcelCause.Damaged, $"{name}: line {number} of the manifest: {e.Message}", e);
        }
    }
}
