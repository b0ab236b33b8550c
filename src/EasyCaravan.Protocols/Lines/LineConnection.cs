using EasyCaravan.Core.Pacing;

namespace EasyCaravan.Protocols.Lines;

/// <summary>
/// Octets in and out of one connection through two bounded buffers, for all protocols that speak in lines; with a watch over silence.
/// </summary>
/// <param name="whom">The account, for faults.</param>
internal sealed class LineConnection : IAsyncDisposable
{
    private const int BufferSize = 256 * 1024;

    /// <summary>
    /// The longest line that is taken without a literal. A plain server tells all numbers of a folder in one: here of two million messages.
    /// </summary>
    private const int LongestLine = 16 * 1024 * 1024;

    /// <summary>
    /// Lines after something was asked, more than any mailbox has to tell: an answer without end would keep its pass for ever.
    /// </summary>
    private const int MostLines = 10_000_000;

    private readonly Stream _stream;
    private readonly string _whom;
    private readonly TimeSpan _patience;
    private readonly Timer _watch;
    private byte[] _in = new byte[BufferSize];
    private readonly byte[] _out = new byte[BufferSize];
    private int _read,
        _filled,
        _written,
        _lines;
    private long _waitingSince;
    private volatile bool _timedOut;
    private bool _asked;

    public LineConnection(Stream stream, string whom, TimeSpan patience)
    {
        (_stream, _whom, _patience) = (stream, whom, patience);
        // One timer a connection instead of a timeout for each of thousands of reads a second.
        _watch = new Timer(_ => Watch(), null, TimeSpan.FromSeconds(1), TimeSpan.FromSeconds(1));
    }

    public string Whom => _whom;

    /// <summary>The service's name in the plan.</summary>
    public string? Service { get; init; }

    /// <summary>
    /// What the server said when it announced that it will close the connection, and its code: the loss that follows is told in its words.
    /// </summary>
    public (string Text, string? Code)? Farewell { get; set; }

    /// <summary>How often something was sent and its answer waited for: what distance makes slow.</summary>
    public long RoundTrips { get; private set; }

    /// <summary>The wire's state is unknown: nothing may be sent or read any more.</summary>
    public bool IsBroken { get; private set; }

    private void Watch()
    {
        var since = Interlocked.Read(ref _waitingSince);
        if (since == 0 || TimeSpan.FromMilliseconds(Environment.TickCount64 - since) < _patience)
            return;
        _timedOut = true;
        _stream.Dispose();
    }

    public FaultException Break(Cause cause, string what, Exception? inner = null)
    {
        IsBroken = true;
        return new FaultException(new Fault(cause, _whom, what, Farewell?.Code) { Service = Service }, Verdict.Close, inner);
    }

    public FaultException Garbage(FormatException error) =>
        Break(Cause.ProtocolBroken, $"the server's answer cannot be understood: {error.Message}", error);

    // --- out

    public ValueTask WriteAsync(string text, CancellationToken cancel) => WriteAsync(System.Text.Encoding.Latin1.GetBytes(text), cancel);

    public ValueTask WriteAsync(ReadOnlyMemory<byte> octets, CancellationToken cancel)
    {
        if (octets.Length > _out.Length - _written)
            return WriteThroughAsync(octets, cancel);
        octets.Span.CopyTo(_out.AsSpan(_written));
        _written += octets.Length;
        return ValueTask.CompletedTask;
    }

    private async ValueTask WriteThroughAsync(ReadOnlyMemory<byte> octets, CancellationToken cancel)
    {
        await FlushAsync(cancel);
        if (octets.Length >= _out.Length / 2)
            await SendAsync(octets, cancel);
        else
            await WriteAsync(octets, cancel);
    }

    public async ValueTask FlushAsync(CancellationToken cancel)
    {
        if (_written == 0)
            return;
        var pending = _out.AsMemory(0, _written);
        _written = 0;
        await SendAsync(pending, cancel);
    }

    private async ValueTask SendAsync(ReadOnlyMemory<byte> octets, CancellationToken cancel)
    {
        if (IsBroken)
            throw Break(Cause.ConnectionLost, "the connection is closed");
        Interlocked.Exchange(ref _waitingSince, Environment.TickCount64);
        try
        {
            _asked = true;
            _lines = 0;
            await _stream.WriteAsync(octets, cancel);
            await _stream.FlushAsync(cancel);
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            throw Lost(e);
        }
        catch (OperationCanceledException)
        {
            IsBroken = true;
            throw;
        }
        finally
        {
            Interlocked.Exchange(ref _waitingSince, 0);
        }
    }

    // --- in

    /// <summary>One line without its end. Valid until the next read.</summary>
    public async ValueTask<ReadOnlyMemory<byte>> ReadLineAsync(CancellationToken cancel)
    {
        if (++_lines > MostLines)
            throw Break(Cause.ProtocolBroken, $"the server's answer has more than {MostLines} lines and no end");
        var seen = 0;
        while (true)
        {
            var newline = _in.AsSpan(_read + seen, _filled - _read - seen).IndexOf((byte)'\n');
            if (newline >= 0)
            {
                var start = _read;
                var end = _read + seen + newline;
                _read = end + 1;
                if (end > start && _in[end - 1] == '\r')
                    end--;
                return _in.AsMemory(start, end - start);
            }
            seen = _filled - _read;
            if (seen > LongestLine)
                throw Break(Cause.ProtocolBroken, $"the server sent a line of more than {LongestLine} octets");
            await FillAsync(cancel);
        }
    }

    /// <summary>At least one octet and at most so many, as they come. Valid until the next read.</summary>
    public async ValueTask<ReadOnlyMemory<byte>> ReadSomeAsync(long most, CancellationToken cancel)
    {
        if (_read == _filled)
            await FillAsync(cancel);
        var length = (int)Math.Min(most, _filled - _read);
        var piece = _in.AsMemory(_read, length);
        _read += length;
        return piece;
    }

    /// <summary>Gives back the last octets of what <see cref="ReadSomeAsync"/> gave, before anything else is read.</summary>
    public void Unread(int octets) => _read -= octets;

    /// <summary>So many octets in memory. Not for message bodies.</summary>
    public async ValueTask<byte[]> ReadOctetsAsync(int length, CancellationToken cancel)
    {
        var octets = new byte[length];
        for (var at = 0; at < length; )
        {
            var piece = await ReadSomeAsync(length - at, cancel);
            piece.CopyTo(octets.AsMemory(at));
            at += piece.Length;
        }
        return octets;
    }

    private async ValueTask FillAsync(CancellationToken cancel)
    {
        if (IsBroken)
            throw Break(Cause.ConnectionLost, "the connection is closed");
        if (_read == _filled)
        {
            _read = _filled = 0;
            // A long line was here: what it needed is given back.
            if (_in.Length > BufferSize)
                _in = new byte[BufferSize];
        }
        else if (_filled == _in.Length)
        {
            if (_read > 0)
                Buffer.BlockCopy(_in, _read, _in, 0, _filled - _read);
            else
                Array.Resize(ref _in, _in.Length * 2);
            _filled -= _read;
            _read = 0;
        }
        Interlocked.Exchange(ref _waitingSince, Environment.TickCount64);
        int count;
        try
        {
            count = await _stream.ReadAsync(_in.AsMemory(_filled), cancel);
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            throw Lost(e);
        }
        catch (OperationCanceledException)
        {
            IsBroken = true;
            throw;
        }
        finally
        {
            Interlocked.Exchange(ref _waitingSince, 0);
        }
        if (count == 0)
            throw Lost(null);
        if (_asked)
            RoundTrips++;
        _asked = false;
        _filled += count;
    }

    private FaultException Lost(Exception? error)
    {
        if (_timedOut)
            return Break(Cause.TimedOut, $"the server said nothing for {_patience.TotalSeconds:0} s", error);
        return Farewell is { } farewell
            ? Break(Cause.ServiceBusy, $"the server closed the connection: {farewell.Text}", error)
            : Break(Cause.ConnectionLost, "the connection was lost", error);
    }

    public async ValueTask DisposeAsync()
    {
        IsBroken = true;
        await _watch.DisposeAsync();
        await _stream.DisposeAsync();
    }
}
