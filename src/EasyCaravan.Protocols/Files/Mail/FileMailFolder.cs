using System.IO.Compression;
using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>A folder of mail that lies in files.</summary>
internal sealed class FileMailFolder : LocalFolder
{
    private readonly IReadOnlyList<FiledMessage> _messages;
    private Dictionary<uint, FiledMessage>? _byNumber;

    /// <param name="refused">Why it cannot be read; null: it can.</param>
    public FileMailFolder(FolderPath path, IReadOnlyList<FiledMessage> messages, Fault? refused)
    {
        (Path, _messages, Refused) = (path, messages, refused);
        var hash = new XxHash64();
        foreach (var message in messages)
            hash.Append(Encoding.UTF8.GetBytes($"{message.Name} {message.Flags.Written}\n"));
        // Numbers are given by what a message is, not in the order in which messages come: no number is known to be the next.
        Cursor = new FolderCursor(
            (uint)(XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(path.ToString())) & int.MaxValue) | 1,
            uint.MaxValue,
            refused is null ? hash.GetCurrentHashAsUInt64() : null,
            refused is null ? (uint)messages.Count : 1
        );
    }

    public override FolderPath Path { get; }

    public override bool IsSubscribed => Subscribed;

    /// <summary>Its owner's programs show it.</summary>
    public bool Subscribed { get; init; } = true;

    public override FolderCursor Cursor { get; }

    public override Fault? Refused { get; }

    /// <summary>Has its messages numbered, if they are not yet.</summary>
    public async Task NumberAsync(Func<IReadOnlyList<string>, Task<IReadOnlyList<uint>>> number)
    {
        if (_byNumber is not null)
            return;
        var numbers = await number([.. _messages.Select(m => m.Name)]);
        _byNumber = new Dictionary<uint, FiledMessage>(_messages.Count);
        for (var i = 0; i < numbers.Count; i++)
            _byNumber[numbers[i]] = _messages[i];
    }

    public override IEnumerable<ItemInfo> Items() => _byNumber!.OrderBy(n => n.Key).Select(n => InfoOf(n.Key, n.Value));

    public override ItemInfo? Find(uint number) => _byNumber!.TryGetValue(number, out var message) ? InfoOf(number, message) : null;

    /// <exception cref="FaultException">Its file changed since it was looked at: the next pass looks again.</exception>
    public override LocalMessage Open(uint number)
    {
        var message = _byNumber![number];
        try
        {
            var octets = message.Source.OpenAt(message.Entry.Offset);
            return new LocalMessage(
                new MessageStream(
                    message.Entry.IsGzip ? new GZipStream(octets, CompressionMode.Decompress) : octets,
                    message.Entry,
                    message.Form
                ),
                null
            );
        }
        catch (Exception e) when (e is FileNotFoundException or DirectoryNotFoundException or SourceChangedException)
        {
            throw new FaultException(
                new Fault(Cause.ConnectionLost, message.Source.Path, "the file was written, moved or deleted while the pass ran"),
                Verdict.Close,
                e
            );
        }
    }

    private static ItemInfo InfoOf(uint number, FiledMessage message) =>
        new(number, new ByteCount(message.Entry.Size), message.Entry.Date, message.Flags);
}
