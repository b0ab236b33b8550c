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
    /// <summary>Octets after which the disk is asked to take them.</summary>
    private const long SaveAfter = 16 * 1024 * 1024;

    /// <summary>Octets beyond those that are on their way: then the disk is waited for.</summary>
    private const long MostUnsafe = 256 * 1024 * 1024;

    /// <summary>Milliseconds after which it is asked, however few they are.</summary>
    private const long SavePatience = 2_000;

    /// <summary>Octets of a header in which what people find a message by is looked for.</summary>
    private const int LongestHeader = 64 * 1024;

    private readonly List<AddReceipt> _unconfirmed = [];
    private (Task Saved, IReadOnlyList<AddReceipt> Receipts)? _saving;
    private readonly System.Buffers.ArrayBufferWriter<byte> _header = new();
    private bool _isHeaderOver;
    private long _saved = Environment.TickCount64;
    private (int Folder, ItemInfo Item, uint Number) _open;

    public ValueTask BeginAsync(int folder, ItemInfo item, ByteCount size, ReadOnlyMemory<byte> first, CancellationToken cancel)
    {
        _header.ResetWrittenCount();
        _isHeaderOver = false;
        _open = (folder, item, session.Do(() => session.Packer.BeginMessage(folders[folder], size.Count, item.Received)));
        return WriteAsync(first, cancel);
    }

    public ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel)
    {
        // A message that is given up on is begun anew: the next Begin writes in its place.
        if (cancel.IsCancellationRequested)
            session.Packer.Abandon();
        cancel.ThrowIfCancellationRequested();
        if (!_isHeaderOver)
            TakeHeader(piece.Span);
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
                var confirmed = Confirmed(waits: session.Packer.Unsafe >= MostUnsafe);
                if (_saving is null && (session.Packer.Unsafe >= SaveAfter || Environment.TickCount64 - _saved >= SavePatience))
                    BeginSave();
                return confirmed;
            })
        );
    }

    public ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel) =>
        ValueTask.FromResult(
            session.Do<IReadOnlyList<AddReceipt>>(() =>
            {
                List<AddReceipt> confirmed = [.. Confirmed(waits: true)];
                BeginSave();
                confirmed.AddRange(Confirmed(waits: true));
                return confirmed;
            })
        );

    /// <summary>What was packed until now goes to the disk while the next messages are taken.</summary>
    private void BeginSave()
    {
        _saving = (session.Packer.BeginSave(), [.. _unconfirmed]);
        _saved = Environment.TickCount64;
        _unconfirmed.Clear();
    }

    /// <summary>What the disk has taken since the last call.</summary>
    private IReadOnlyList<AddReceipt> Confirmed(bool waits)
    {
        if (_saving is not var (saved, receipts) || !(waits || saved.IsCompleted))
            return [];
        saved.GetAwaiter().GetResult();
        _saving = null;
        return receipts;
    }

    /// <summary>
    /// Up to the empty line that ends a header (RFC 5322 §2.1): what comes after it would only take time to look through.
    /// </summary>
    private void TakeHeader(ReadOnlySpan<byte> piece)
    {
        var before = Math.Max(0, _header.WrittenCount - 3);
        System.Buffers.BuffersExtensions.Write(_header, piece[..Math.Min(piece.Length, LongestHeader - _header.WrittenCount)]);
        _isHeaderOver = _header.WrittenCount >= LongestHeader || EndOf(_header.WrittenSpan[before..]) is not null;
    }

    private static MessageWords WordsOf(ReadOnlySpan<byte> start)
    {
        start = start[..(EndOf(start) ?? start.Length)];
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

    /// <summary>Where a header ends; null: not within these octets.</summary>
    private static int? EndOf(ReadOnlySpan<byte> octets)
    {
        var (withReturn, alone) = (octets.IndexOf("\n\r\n"u8), octets.IndexOf("\n\n"u8));
        var first = withReturn >= 0 && alone >= 0 ? Math.Min(withReturn, alone) : Math.Max(withReturn, alone);
        return first < 0 ? null : first + 1;
    }
}
