using System.Buffers;
using System.Security.Cryptography;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Files;

/// <summary>
/// Reads messages that lie in files. Each is looked at whole before its first octet is given out, so that nothing damaged is half carried:
/// small ones are read once, large ones twice. Where messages have digests, that of the next small one is made while one is carried.
/// </summary>
internal sealed class LocalMessageReader(IReadOnlyList<(LocalFolder? Folder, NumberSet Numbers)> folders, string account, bool withIndex)
    : IMessageReader,
        IDisposable
{
    private const int Small = 1024 * 1024;

    private readonly IEnumerator<(int Folder, LocalFolder From, uint Number)> _order = InOrder(folders).GetEnumerator();
    private readonly List<ItemAt> _gone = [];
    private readonly Dictionary<ItemAt, Fault> _unreadable = [];
    private Looked? _ahead;

    /// <summary>The message that is given out now. Of a large one its octets are read piece by piece.</summary>
    private Looked? _now;
    private Stream? _octets;
    private byte[]? _piece;
    private long _left;

    /// <param name="Held">Of a small message all octets, in an array that may be longer; null: it is a large one.</param>
    /// <param name="IsSound">False: its octets are not those that were stored.</param>
    private sealed record Looked(int Place, LocalFolder From, ItemInfo Item, byte[]? Held, Task<bool> IsSound);

    private static readonly Task<bool> s_sound = Task.FromResult(true);

    public ItemInfo? Index => withIndex ? _now?.Item : null;

    public IReadOnlyCollection<ItemAt> Gone => _gone;

    public IReadOnlyDictionary<ItemAt, Fault> Unreadable => _unreadable;

    public async ValueTask<MessageStart?> NextAsync(CancellationToken cancel)
    {
        while (true)
        {
            Leave();
            _now = _ahead ?? LookAtNext(cancel);
            _ahead = null;
            if (_now is not { } now)
            {
                Dispose();
                return null;
            }
            // What has no digests gains nothing by it, and is read as late as can be: others may be writing to it.
            if (now.IsSound != s_sound)
                _ahead = LookAtNext(cancel);
            try
            {
                if (!await now.IsSound || (now.Held is null && !TryOpenLarge(now, cancel)))
                    throw new InvalidDataException("its octets are not those that were stored");
                _left = now.Item.Size.Count;
                return new MessageStart(now.Place, now.Item.Number, now.Item.Size);
            }
            catch (Exception e) when (IsOfFile(e))
            {
                Refuse(now.Place, now.Item.Number, e);
            }
        }
    }

    public ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel)
    {
        if (_left == 0)
            return ValueTask.FromResult(ReadOnlyMemory<byte>.Empty);
        if (_now?.Held is { } held)
        {
            var all = held.AsMemory(0, (int)_left);
            _left = 0;
            return ValueTask.FromResult<ReadOnlyMemory<byte>>(all);
        }
        try
        {
            var read = _octets!.Read(_piece!, 0, (int)Math.Min(_piece!.Length, _left));
            if (read == 0)
                throw new InvalidDataException("its file became shorter");
            _left -= read;
            if (_left == 0 && _octets.ReadByte() >= 0)
                throw new InvalidDataException("its file became longer");
            return ValueTask.FromResult<ReadOnlyMemory<byte>>(_piece.AsMemory(0, read));
        }
        catch (Exception e) when (e is IOException or InvalidDataException or ParcelException)
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
        Leave();
        _order.Dispose();
    }

    /// <summary>Ends with the message that is given out now.</summary>
    private void Leave()
    {
        _octets?.Dispose();
        _octets = null;
        if (_now?.Held is { Length: > 0 } held)
            ArrayPool<byte>.Shared.Return(held);
        _now = null;
    }

    private static bool IsOfFile(Exception e) => e is IOException or UnauthorizedAccessException or InvalidDataException or ParcelException;

    private void Refuse(int place, uint number, Exception e) =>
        _unreadable[new ItemAt(place, number)] = new Fault(
            Cause.MessageUnreadable,
            account,
            $"the message cannot be read from its file: {e.Message}"
        );

    /// <summary>Null: there are no more.</summary>
    private Looked? LookAtNext(CancellationToken cancel)
    {
        while (_order.MoveNext())
        {
            cancel.ThrowIfCancellationRequested();
            var (place, folder, number) = _order.Current;
            try
            {
                if (folder.Find(number) is { } item)
                    return item.Size.Count > Small ? new Looked(place, folder, item, null, s_sound) : ReadSmall(place, folder, item);
                _gone.Add(new ItemAt(place, number));
            }
            catch (Exception e) when (IsOfFile(e))
            {
                Refuse(place, number, e);
            }
        }
        return null;
    }

    private static Looked ReadSmall(int place, LocalFolder folder, ItemInfo item)
    {
        var (octets, isSound) = folder.Open(item.Number);
        using (octets)
        {
            var length = (int)item.Size.Count;
            var held = ArrayPool<byte>.Shared.Rent(length);
            octets.ReadExactly(held, 0, length);
            if (isSound is null && octets.ReadByte() >= 0)
                throw new InvalidDataException("it is longer than its index tells");
            var sound = isSound is null ? s_sound : Task.Run(() => isSound(SHA256.HashData(held.AsSpan(0, length))));
            return new Looked(place, folder, item, held, sound);
        }
    }

    /// <summary>False: its octets are not those that were stored.</summary>
    private bool TryOpenLarge(Looked large, CancellationToken cancel)
    {
        _piece ??= new byte[Small];
        var (octets, isSound) = large.From.Open(large.Item.Number);
        if (isSound is not null)
        {
            using var all = octets;
            using var digest = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
            int read;
            while ((read = all.Read(_piece)) > 0)
            {
                cancel.ThrowIfCancellationRequested();
                digest.AppendData(_piece, 0, read);
            }
            if (!isSound(digest.GetHashAndReset()))
                return false;
            octets = large.From.Open(large.Item.Number).Octets;
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
