namespace EasyCaravan.Core.Planning;

/// <summary>Mail that lies in files below the folder of files that the service was started with. A from side only.</summary>
/// <param name="Pattern">
/// Which files, or for <see cref="MailFileFormat.Maildir"/> which folders, are a person's: <c>{account}</c> stands for the account on the
/// from side, <c>*</c> for any part of a name, <c>**</c> for any number of folders; a ZIP is named like a folder.
/// </param>
public sealed record MailFiles(MailFileFormat Speaks, string Pattern)
{
    /// <summary>Null: it is found out for each file.</summary>
    public MboxDialect? Dialect { get; init; }

    /// <summary>Messages of files that mark nothing as read arrive as read, rather than all as unread.</summary>
    public bool UnmarkedIsRead { get; init; }

    /// <summary>The pattern for one person.</summary>
    public string PatternOf(string account) => Pattern.Replace("{account}", FileGlob.Plain(account), StringComparison.Ordinal);
}

/// <summary>In which form messages lie in files. Kept by number: new ones come last.</summary>
public enum MailFileFormat
{
    /// <summary>Messages one after the other in a file, each after a line that begins with "From " (RFC 4155).</summary>
    Mbox,

    /// <summary>A file for each message in folders named cur and new.</summary>
    Maildir,

    /// <summary>A file for each message, in any folders.</summary>
    Eml,
}

/// <summary>How an mbox tells where a message ends, and what it does to lines of a message that look like the start of the next.</summary>
public enum MboxDialect
{
    /// <summary>"From " in a message became "&gt;From ".</summary>
    Mboxo,

    /// <summary>"From ", "&gt;From ", "&gt;&gt;From " and so on each got one more "&gt;".</summary>
    Mboxrd,

    /// <summary>The header tells the length, and "From " became "&gt;From " nevertheless.</summary>
    Mboxcl,

    /// <summary>The header tells the length, and the message is unchanged.</summary>
    Mboxcl2,
}
