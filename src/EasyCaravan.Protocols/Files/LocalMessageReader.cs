using System.Buffers;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files;

/// <summary>
/// Reads messages that lie in files. Each is looked at whole before its first octet is given out, so that nothing damaged is half carried:
/// small ones are read once, large ones twice.
/// </summary>
internal sealed class LocalMessageReader(IReadOnlyList<(LocalFolder? Folder, NumberSet Numbers)> folders, string account, bool withIndex)
    : IMessageReader,
        IDisposable
{
    private const int Small = 1024 * 1024;

    private readonly IEnumerator<(int Folder, LocalFolder From, uint Number)> _order = InOrder(folders).GetEnumerator();
    private readonly List<ItemAt> _gone = [];
    private readonly Dictionary<ItemAt, Fault> _unreadable = [];
    private readonly byte[] _buffer = new byte[Small];
    private Stream? _octets;
    private ItemInfo? _item;
    private int _held;
    private long _left;

    public ItemInfo? Index => withIndex ? _item : null;

    public IReadOnlyCollection<ItemAt> Gone => _gone;

    public IReadOnlyDictionary<ItemAt, Fault> Unreadable => _unreadable;

    public ValueTask<MessageStart?> NextAsync(CancellationToken cancel)
    {
        _octets?.Dispose();
        _octets = null;
        while (_order.MoveNext())
        {
            cancel.ThrowIfCancellationRequested();
            var (place, folder, number) = _order.Current;
            try
            {
                if (folder.Find(number) is not { } item)
                {
                    _gone.Add(new ItemAt(place, number));
                    continue;
                }
                if (!TryOpen(folder, item, cancel))
                    throw new InvalidDataException("its octets are not those that were stored");
                (_item, _left) = (item, item.Size.Count);
                return ValueTask.FromResult<MessageStart?>(new MessageStart(place, number, item.Size));
            }
            catch (Exception e)
                when (e is IOException or UnauthorizedAccessException or InvalidDataException or EasyCaravan.Parcels.ParcelException)
            {
                _octets?.Dispose();
                _octets = null;
                _unreadable[new ItemAt(place, number)] = new Fault(
                    Cause.MessageUnreadable,
                    account,
                    $"the message cannot be read from its file: {e.Message}"
                );
            }
        }
        Dispose();
        return ValueTask.FromResult<MessageStart?>(null);
    }

    public ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel)
    {
        if (_left == 0)
            return ValueTask.FromResult(ReadOnlyMemory<byte>.Empty);
        if (_octets is null)
        {
            _left = 0;
            return ValueTask.FromResult<ReadOnlyMemory<byte>>(_buffer.AsMemory(0, _held));
        }
        try
        {
            var read = _octets.Read(_buffer, 0, (int)Math.Min(_buffer.Length, _left));
            if (read == 0)
                throw new InvalidDataException("its file became shorter");
            _left -= read;
            if (_left == 0 && _octets.ReadByte() >= 0)
                throw new InvalidDataException("its file became longer");
            return ValueTask.FromResult<ReadOnlyMemory<byte>>(_buffer.AsMemory(0, read));
        }
        catch (Exception e) when (e is IOException or InvalidDataException or EasyCaravan.Parcels.ParcelException)
        {
            // It was sound a moment ago, and the new side waits for the rest.
            throw new FaultException(
                new Fault(Cause.ConnectionLost, account, $"a message's file changed while it was read: {e.Message}"),
                Verdict.Close,
                e
            );
        }
    }

    public void Dispose()
    {
        _octets?.Dispose();
        _order.Dispose();
    }

    /// <summary>False: its octets are not those that were stored.</summary>
    private bool TryOpen(LocalFolder folder, ItemInfo item, CancellationToken cancel)
    {
        var (octets, isSound) = folder.Open(item.Number);
        if (item.Size.Count <= Small)
        {
            using (octets)
            {
                _held = (int)item.Size.Count;
                octets.ReadExactly(_buffer, 0, _held);
                if (isSound is null && octets.ReadByte() >= 0)
                    throw new InvalidDataException("it is longer than its index tells");
            }
            return isSound is null || isSound(System.Security.Cryptography.SHA256.HashData(_buffer.AsSpan(0, _held)));
        }
        if (isSound is not null)
        {
            using var all = octets;
            using var digest = System.Security.Cryptography.IncrementalHash.CreateHash(
                System.Security.Cryptography.HashAlgorithmName.SHA256
            );
            int read;
            while ((read = all.Read(_buffer)) > 0)
            {
                cancel.ThrowIfCancellationRequested();
                digest.AppendData(_buffer, 0, read);
            }
            if (!isSound(digest.GetHashAndReset()))
                return false;
            octets = folder.Open(item.Number).Octets;
        }
        _octets = octets;
        return true;
    }

    private static IEnumerable<(int Folder, LocalFolder From, uint Number)> InOrder(
        IReadOnlyList<(LocalFolder? Folder, NumberSet Numbers)> folders
    )
    {
        for (var i = 0; i < folders.Count; i++)
            foreach (var number in folders[i].Numbers)
                yield return (i, folders[i].Folder!, number);
    }
}
