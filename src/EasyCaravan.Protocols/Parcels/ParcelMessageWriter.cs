using System.Buffers;
using System.Collections.Concurrent;
using System.Runtime.ExceptionServices;
using System.Security.Cryptography;
using System.Text;
using System.Threading.Channels;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;
using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>
/// Packs a stream of messages. What it confirms is on the disk. Small messages are packed while the next ones are read, and their digests
/// are made on whatever processors are free: a digest alone can take as long as the server that the message comes from.
/// </summary>
internal sealed class ParcelMessageWriter : IMessageWriter
{
    /// <summary>Octets of a message that is held until it can be packed.</summary>
    private const int Small = 256 * 1024;

    /// <summary>Messages that are held at a time.</summary>
    private const int MostHeld = 64;

    /// <summary>Octets after which the disk is asked to take them.</summary>
    private const long SaveAfter = 16 * 1024 * 1024;

    /// <summary>Octets beyond those that are on their way: then the disk is waited for.</summary>
    private const long MostUnsafe = 256 * 1024 * 1024;

    /// <summary>Milliseconds after which it is asked, however few they are.</summary>
    private const long SavePatience = 2_000;

    /// <summary>Octets of a header in which what people find a message by is looked for.</summary>
    private const int LongestHeader = 64 * 1024;

    private readonly ParcelSession _session;
    private readonly IReadOnlyList<PackedFolder> _folders;
    private readonly Channel<Step> _queue = Channel.CreateBounded<Step>(
        new BoundedChannelOptions(MostHeld) { SingleReader = true, SingleWriter = true }
    );
    private readonly ConcurrentQueue<AddReceipt> _confirmed = new();
    private readonly Task _packing;
    private volatile ExceptionDispatchInfo? _failed;

    /// <summary>The small message that comes now.</summary>
    private (int Folder, ItemInfo Item, byte[] Octets, int Held)? _held;

    /// <summary>The large one, and the begin of its header.</summary>
    private (int Folder, ItemInfo Item, uint Number)? _open;
    private readonly ArrayBufferWriter<byte> _header = new();
    private bool _isHeaderOver;

    // Of whoever packs now: the queue's task, or a large message while the queue is empty.
    private readonly List<AddReceipt> _unconfirmed = [];
    private (Task Saved, IReadOnlyList<AddReceipt> Receipts)? _saving;
    private long _saved = Environment.TickCount64;

    public ParcelMessageWriter(ParcelSession session, IReadOnlyList<PackedFolder> folders)
    {
        (_session, _folders) = (session, folders);
        _packing = Task.Run(PackAsync);
    }

    /// <summary>A message to be packed; or, without one, the word that all before it are.</summary>
    private sealed record Step(int Folder, ItemInfo? Item, byte[] Octets, int Length, Task<byte[]> Digest, TaskCompletionSource? Done);

    private static readonly Task<byte[]> s_noDigest = Task.FromResult<byte[]>([]);

    public async ValueTask BeginAsync(int folder, ItemInfo item, ByteCount size, ReadOnlyMemory<byte> first, CancellationToken cancel)
    {
        _failed?.Throw();
        if (size.Count <= Small)
        {
            GiveBack();
            _held = (folder, item, ArrayPool<byte>.Shared.Rent((int)size.Count), 0);
        }
        else
        {
            await DrainAsync(saves: false);
            _header.ResetWrittenCount();
            _isHeaderOver = false;
            _open = (folder, item, _session.DoAlone(() => _session.Packer.BeginMessage(_folders[folder], size.Count, item.Received)));
        }
        await WriteAsync(first, cancel);
    }

    public ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel)
    {
        if (_held is var (folder, item, octets, held))
        {
            cancel.ThrowIfCancellationRequested();
            piece.Span.CopyTo(octets.AsSpan(held));
            _held = (folder, item, octets, held + piece.Length);
            return ValueTask.CompletedTask;
        }
        // A message that is given up on is begun anew: the next Begin writes in its place.
        if (cancel.IsCancellationRequested)
            _session.Packer.Abandon();
        cancel.ThrowIfCancellationRequested();
        if (!_isHeaderOver)
            TakeHeader(piece.Span);
        _session.DoAlone(() =>
        {
            _session.Packer.Write(piece.Span);
            return true;
        });
        return ValueTask.CompletedTask;
    }

    public async ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel)
    {
        if (_held is var (folder, item, octets, held))
        {
            var digest = Task.Run(() => SHA256.HashData(octets.AsSpan(0, held)), CancellationToken.None);
            await _queue.Writer.WriteAsync(new Step(folder, item, octets, held, digest, null), cancel);
            _held = null;
        }
        else if (_open is var (place, large, number))
        {
            _open = null;
            _session.DoAlone(() =>
            {
                var words = WordsOf(_header.WrittenSpan);
                _session.Packer.EndMessage(_folders[place], number, large.Received, large.Flags.Flags, words);
                Count(place, large, number);
                return true;
            });
        }
        _failed?.Throw();
        return TakeConfirmed();
    }

    public async ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel)
    {
        await DrainAsync(saves: true);
        return TakeConfirmed();
    }

    /// <summary>Ends once all that was handed over is packed.</summary>
    /// <param name="saves">And on the disk.</param>
    public async Task DrainAsync(bool saves)
    {
        var done = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        await _queue.Writer.WriteAsync(new Step(0, null, [], 0, s_noDigest, done));
        await done.Task;
        _failed?.Throw();
        if (!saves)
            return;
        _session.DoAlone(() =>
        {
            Confirm(waits: true);
            BeginSave();
            Confirm(waits: true);
            return true;
        });
    }

    /// <summary>Nothing more comes. What is not confirmed may be packed or not.</summary>
    public async Task StopAsync()
    {
        _queue.Writer.TryComplete();
        await _packing;
        GiveBack();
    }

    private async Task PackAsync()
    {
        await foreach (var step in _queue.Reader.ReadAllAsync())
        {
            try
            {
                // Whatever happens, its octets are in use until then.
                var sha256 = await step.Digest;
                if (step.Item is { } item && _failed is null)
                    _session.DoAlone(() =>
                    {
                        var octets = step.Octets.AsSpan(0, step.Length);
                        var words = WordsOf(octets[..Math.Min(octets.Length, LongestHeader)]);
                        var folder = _folders[step.Folder];
                        Count(
                            step.Folder,
                            item,
                            _session.Packer.AddMessage(folder, octets, sha256, item.Received, item.Flags.Flags, words)
                        );
                        return true;
                    });
            }
            // It is thrown to whoever hands over the next message: after a fault of the files the session is over.
            catch (Exception e)
            {
                _failed = ExceptionDispatchInfo.Capture(e);
            }
            if (step.Octets.Length > 0)
                ArrayPool<byte>.Shared.Return(step.Octets);
            step.Done?.TrySetResult();
        }
    }

    private void Count(int folder, ItemInfo item, uint number)
    {
        _unconfirmed.Add(new AddReceipt(folder, item.Number, new ItemKey(_folders[folder].Epoch, number), null, 1));
        Confirm(waits: _session.Packer.Unsafe >= MostUnsafe);
        if (_saving is null && (_session.Packer.Unsafe >= SaveAfter || Environment.TickCount64 - _saved >= SavePatience))
            BeginSave();
    }

    /// <summary>What was packed until now goes to the disk while the next messages are taken.</summary>
    private void BeginSave()
    {
        _saving = (_session.Packer.BeginSave(), [.. _unconfirmed]);
        _saved = Environment.TickCount64;
        _unconfirmed.Clear();
    }

    /// <summary>Takes note of what the disk has taken.</summary>
    private void Confirm(bool waits)
    {
        if (_saving is not var (saved, receipts) || !(waits || saved.IsCompleted))
            return;
        saved.GetAwaiter().GetResult();
        _saving = null;
        foreach (var receipt in receipts)
            _confirmed.Enqueue(receipt);
    }

    private List<AddReceipt> TakeConfirmed()
    {
        var taken = new List<AddReceipt>();
        while (_confirmed.TryDequeue(out var receipt))
            taken.Add(receipt);
        return taken;
    }

    private void GiveBack()
    {
        if (_held is { Octets: var octets })
            ArrayPool<byte>.Shared.Return(octets);
        _held = null;
    }

    /// <summary>
    /// Up to the empty line that ends a header (RFC 5322 §2.1): what comes after it would only take time to look through.
    /// </summary>
    private void TakeHeader(ReadOnlySpan<byte> piece)
    {
        var before = Math.Max(0, _header.WrittenCount - 3);
        BuffersExtensions.Write(_header, piece[..Math.Min(piece.Length, LongestHeader - _header.WrittenCount)]);
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
        // Line by line: looking for either form of the empty line by itself goes through the whole message for the one that is not there.
        for (var at = 0; octets[at..].IndexOf((byte)'\n') is >= 0 and var length; )
        {
            at += length + 1;
            if (octets[at..] is [(byte)'\n', ..] or [(byte)'\r', (byte)'\n', ..])
                return at;
        }
        return null;
    }
}
