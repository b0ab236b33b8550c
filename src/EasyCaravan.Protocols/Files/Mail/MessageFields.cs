using System.Globalization;
using System.Text;
using EasyCaravan.Core.Ports;
using MimeKit.Utils;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>
/// Reads a message's header line by line for what its file needs: dates, and the fields in which mail programs keep their own marks in an
/// mbox.
/// </summary>
internal sealed class MessageFields
{
    /// <summary>Octets of a field that are looked at.</summary>
    private const int LongestField = 16 * 1024;

    private static readonly string[] s_marks = ["status", "x-status", "x-keywords", "x-uid", "x-imap", "x-imapbase"];

    /// <summary>Under which programs keep what belongs to the whole file, as a message that nobody wrote.</summary>
    private const string InternalData = "DON'T DELETE THIS MESSAGE -- FOLDER INTERNAL DATA";

    private readonly HashSet<string> _flags = new(StringComparer.OrdinalIgnoreCase);
    private readonly List<byte> _field = [];
    private string _name = "";
    private bool _hasImap;
    private bool _isInternal;

    /// <summary>Of the topmost trace field (RFC 5322 §3.6.7) that can be read: the server's own.</summary>
    public DateTimeOffset? Received { get; private set; }

    /// <summary>The sender's.</summary>
    public DateTimeOffset? Sent { get; private set; }

    public long? ContentLength { get; private set; }

    /// <summary>A program told whether the message was read, or that it was not.</summary>
    public bool IsMarked { get; private set; }

    public bool IsInternalData => _hasImap && _isInternal;

    public FlagSet Flags => _flags.Count == 0 ? FlagSet.Empty : FlagSet.Of(_flags);

    /// <summary>What the line belongs to: the field that begins with it, or the one before where it is folded.</summary>
    public FieldUse Use { get; private set; }

    /// <param name="line">With its line end; or the first part of a line that is too long.</param>
    public void Take(ReadOnlySpan<byte> line)
    {
        if (line.IsEmpty || line[0] is not ((byte)' ' or (byte)'\t'))
        {
            End();
            var colon = line[..Math.Min(line.Length, 80)].IndexOf((byte)':');
            _name = colon > 0 ? Encoding.Latin1.GetString(line[..colon]).TrimEnd().ToLowerInvariant() : "";
            Use =
                s_marks.Contains(_name) ? FieldUse.Mark
                : _name is "content-length" ? FieldUse.Length
                // Programs that tell the length tell the lines right after it; elsewhere the field is the sender's (RFC 1036).
                : _name is "lines" && Use is FieldUse.Length ? FieldUse.Length
                : FieldUse.Message;
            line = line[(colon + 1)..];
        }
        if (_field.Count + line.Length <= LongestField && IsWanted)
            _field.AddRange(line);
    }

    private bool IsWanted =>
        Use is not FieldUse.Message || (_name is "received" && Received is null) || (_name is "date" && Sent is null) || _name is "subject";

    /// <summary>The header is complete.</summary>
    public void End()
    {
        if (_field.Count > 0)
            TakeField(Core.Formats.HeaderFields.Unfold(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(_field)));
        _field.Clear();
        _name = "";
    }

    private void TakeField(string text)
    {
        switch (_name)
        {
            case "received":
                if (MessageDate.TryReadTrace(text, out var received))
                    Received = received;
                break;
            case "date":
                if (DateUtils.TryParse(text, out var sent))
                    Sent = sent;
                break;
            case "subject":
                _isInternal = text.Equals(InternalData, StringComparison.Ordinal);
                break;
            case "x-imap" or "x-imapbase":
                _hasImap = true;
                break;
            case "content-length":
                ContentLength = long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var length) ? length : null;
                break;
            case "status":
                IsMarked = true;
                if (text.Contains('R', StringComparison.Ordinal))
                    _flags.Add("\\Seen");
                break;
            case "x-status":
                IsMarked = true;
                foreach (var mark in text)
                    if (FlagOf(mark) is { } flag)
                        _flags.Add(flag);
                break;
            case "x-keywords":
                _flags.UnionWith(text.Split(' ', StringSplitOptions.RemoveEmptyEntries).Where(IsKeyword));
                break;
        }
    }

    private static string? FlagOf(char mark) =>
        mark switch
        {
            'A' => "\\Answered",
            'F' => "\\Flagged",
            'T' => "\\Draft",
            'D' => "\\Deleted",
            _ => null,
        };

    /// <summary>An atom (RFC 9051 §9), as every service takes it.</summary>
    internal static bool IsKeyword(string word) =>
        word.Length is > 0 and <= 250 && word.All(c => c is > ' ' and < '\x7f' && !"(){%*\"\\]".Contains(c, StringComparison.Ordinal));
}

/// <summary>What a field of a header in an mbox is.</summary>
internal enum FieldUse
{
    Message,

    /// <summary>A mail program's own mark: no part of the message.</summary>
    Mark,

    /// <summary>Tells the length: no part of the message, where the file is of a dialect that needs it.</summary>
    Length,
}
