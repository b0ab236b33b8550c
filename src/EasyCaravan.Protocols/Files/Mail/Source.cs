namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>A file, or an entry of a ZIP.</summary>
/// <param name="Path">Below the folder of files; of an entry, below the ZIP, which is named like a folder.</param>
internal abstract record Source(string Path, long Length, DateTimeOffset Modified)
{
    /// <summary>No other has it, in archives with two entries of one name either.</summary>
    public virtual string Key => Path;

    public string Name => Path[(Path.LastIndexOf('/') + 1)..];

    /// <summary>From an octet on. One at a time.</summary>
    public abstract Stream OpenAt(long offset);
}

/// <summary>A file of its own.</summary>
internal sealed record PlainSource(string File, string Path, long Length, DateTimeOffset Modified) : Source(Path, Length, Modified)
{
    public override Stream OpenAt(long offset)
    {
        var stream = new FileStream(File, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete, bufferSize: 0);
        // Written again, it has other messages at the same places.
        if (stream.Length != Length || System.IO.File.GetLastWriteTimeUtc(stream.SafeFileHandle) != Modified.UtcDateTime)
        {
            stream.Dispose();
            throw new SourceChangedException();
        }
        stream.Position = offset;
        return stream;
    }
}

/// <summary>A file is no longer what it was when it was listed.</summary>
internal sealed class SourceChangedException() : IOException("it was written while it was looked at");
