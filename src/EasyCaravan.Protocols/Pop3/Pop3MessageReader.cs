using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Lines;

namespace EasyCaravan.Protocols.Pop3;

/// <summary>
/// Messages by RETR, the next already asked for. POP3 does not tell exact sizes, so each is put down first: in memory, or where it is large
/// in a file that nobody else can read.
/// </summary>
internal sealed class Pop3MessageReader(
    LineConnection wire,
    IReadOnlyList<(uint Number, int Place)> messages,
    IReadOnlyCollection<ItemAt> gone
) : IMessageReader, IAsyncDisposable
{
    /// <summary>Octets of a message that are kept in memory.</summary>
    private const int InMemory = 1024 * 1024;

    private readonly Dictionary<ItemAt, Fault> _unreadable = [];
    private readonly byte[] _piece = new byte[64 * 1024];
    private Stream _spool = new MemoryStream();
    private int _next;
    private bool _asked;

    /// <summary>POP3 has no index: dates are read from headers, by themselves.</summary>
    public ItemInfo? Index => null;

    public IReadOnlyCollection<ItemAt> Gone => gone;

    public IReadOnlyDictionary<ItemAt, Fault> Unreadable => _unreadable;

    public async ValueTask<MessageStart?> NextAsync(CancellationToken cancel)
    {
        while (_next < messages.Count)
        {
            if (!_asked)
                await AskAsync(_next, cancel);
            var number = messages[_next++].Number;
            if (!await Pop3Body.IsOkAsync(wire, cancel))
            {
                _asked = false;
                _unreadable[new ItemAt(0, number)] = new Fault(
                    Cause.MessageUnreadable,
                    wire.Whom,
                    "the old side does not give this message out"
                );
                continue;
            }
            await PutDownAsync(cancel);
            // The next message is requested while this one is passed on.
            _asked = _next < messages.Count;
            if (_asked)
                await AskAsync(_next, cancel);
            return new MessageStart(0, number, new ByteCount(_spool.Length));
        }
        return null;
    }

    /// <summary>With its account: a copy that was broken off leaves no file behind.</summary>
    public ValueTask DisposeAsync() => _spool.DisposeAsync();

    public async ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel) =>
        _piece.AsMemory(0, await _spool.ReadAsync(_piece, cancel));

    private async Task AskAsync(int index, CancellationToken cancel)
    {
        await wire.WriteAsync($"RETR {messages[index].Place}\r\n", cancel);
        await wire.FlushAsync(cancel);
    }

    private async Task PutDownAsync(CancellationToken cancel)
    {
        if (_spool is not MemoryStream)
            await _spool.DisposeAsync();
        if (_spool is MemoryStream reused)
            reused.SetLength(0);
        else
            _spool = new MemoryStream();
        var body = new Pop3Body(wire);
        while (await body.ReadAsync(cancel) is { Length: > 0 } piece)
        {
            if (_spool is MemoryStream memory && memory.Length + piece.Length > InMemory)
                _spool = await SpillAsync(memory, cancel);
            await _spool.WriteAsync(piece, cancel);
        }
        _spool.Position = 0;
    }

    private static async Task<FileStream> SpillAsync(MemoryStream memory, CancellationToken cancel)
    {
        var file = new FileStream(
            Path.Combine(Path.GetTempPath(), $"caravan-{Guid.NewGuid():N}"),
            new FileStreamOptions
            {
                Mode = FileMode.CreateNew,
                Access = FileAccess.ReadWrite,
                Options = FileOptions.DeleteOnClose | FileOptions.Asynchronous,
                UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
            }
        );
        memory.Position = 0;
        await memory.CopyToAsync(file, cancel);
        return file;
    }
}
