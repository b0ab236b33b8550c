using System.Text;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;
using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>Packs a stream of messages. What it confirms is on the disk.</summary>
internal sealed class ParcelMessageWriter(ParcelSession session, IReadOnlyList<PackedFolder> folders) : IMessageWriter
{
    /// <summary>Octets that are written before the disk is waited for.</summary>
    private const long SaveAfter = 64 * 1024 * 1024;

    /// <summary>Milliseconds after which it is waited for, however few they are.</summary>
    private const long SavePatience = 2_000;

    /// <summary>Octets of a header in which what people find a message by is looked for.</summary>
    private const int LongestHeader = 64 * 1024;

    private readonly List<AddReceipt> _unconfirmed = [];
    private readonly System.Buffers.ArrayBufferWriter<byte> _header = new();
    private long _saved = Environment.TickCount64;
    private (int Folder, ItemInfo Item, uint Number) _open;

    public ValueTask BeginAsync(int folder, ItemInfo item, ByteCount size, ReadOnlyMemory<byte> first, CancellationToken cancel)
    {
        _header.ResetWrittenCount();
        _open = (folder, item, session.Do(() => session.Packer.BeginMessage(folders[folder], size.Count, item.Received)));
        return WriteAsync(first, cancel);
    }

    public ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel)
    {
        // A message that is given up on is begun anew: the next Begin writes in its place.
        if (cancel.IsCancellationRequested)
            session.Packer.Abandon();
        cancel.ThrowIfCancellationRequested();
        if (_header.WrittenCount < LongestHeader)
            System.Buffers.BuffersExtensions.Write(_header, piece.Span[..Math.Min(piece.Length, LongestHeader - _header.WrittenCount)]);
        session.Do(() =>
        {
            session.Packer.Write(piece.Span);
            return true;
        });
        return ValueTask.CompletedTask;
    }

    public ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel)
    {
        var (folder, item, number) = _open;
        var packed = folders[folder];
        return ValueTask.FromResult(
            session.Do(() =>
            {
                session.Packer.EndMessage(packed, number, item.Received, item.Flags.Flags, WordsOf(_header.WrittenSpan));
                _unconfirmed.Add(new AddReceipt(folder, item.Number, new ItemKey(packed.Epoch, number), null, 1));
                return session.Packer.Unsafe >= SaveAfter || Environment.TickCount64 - _saved >= SavePatience ? Confirm() : [];
            })
        );
    }

    public ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel) => ValueTask.FromResult(session.Do(Confirm));

    private IReadOnlyList<AddReceipt> Confirm()
    {
        session.Packer.Save();
        _saved = Environment.TickCount64;
        List<AddReceipt> confirmed = [.. _unconfirmed];
        _unconfirmed.Clear();
        return confirmed;
    }

    private static MessageWords WordsOf(ReadOnlySpan<byte> start)
    {
        var (subject, sender) = MessageLabel.Read(start);
        string date = "",
            id = "";
        var fields = new HeaderFields(start);
        while (fields.TryNext(out var name, out var value))
        {
            if (Ascii.EqualsIgnoreCase(name, "date"u8) && date.Length == 0)
                date = MessageLabel.Cut(HeaderFields.Unfold(value));
            else if (Ascii.EqualsIgnoreCase(name, "message-id"u8) && id.Length == 0)
                id = MessageLabel.Cut(HeaderFields.Unfold(value).Trim('<', '>', ' '));
        }
        return new MessageWords(sender, subject, date, id);
    }
}
