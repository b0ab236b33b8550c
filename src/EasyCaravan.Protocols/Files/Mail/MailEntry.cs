namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>A message in a file.</summary>
/// <param name="Print">What it is known again by within its folder, together with its count among those that are the same.</param>
/// <param name="Offset">Of its first octet in the file, and how many of the file's octets are its own.</param>
/// <param name="Size">As it is on the way to a server: with CR before each LF, without programs' marks and quoting.</param>
/// <param name="Flags">As <see cref="Core.Ports.FlagSet.Written"/>.</param>
internal sealed record MailEntry(UInt128 Print, long Offset, long Raw, long Size, DateTimeOffset Date, DateSource DateSource, string Flags)
{
    /// <summary>Its header tells the length, in fields that are no part of it.</summary>
    public bool HasLength { get; init; }

    /// <summary>The file is compressed (RFC 1952), as some servers keep them.</summary>
    public bool IsGzip { get; init; }
}
