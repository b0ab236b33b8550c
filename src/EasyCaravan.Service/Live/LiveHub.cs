using System.Collections.Concurrent;
using System.Threading.Channels;

namespace EasyCaravan.Service.Live;

/// <summary>A move that changed, for whoever listens.</summary>
internal readonly record struct Touched(string Batch, long Move);

/// <summary>Tells listeners which moves changed. A slow listener loses the oldest events and never delays a pass.</summary>
internal sealed class LiveHub
{
    private readonly ConcurrentDictionary<Channel<Touched>, byte> _listeners = new();

    public void Touch(string batch, long move)
    {
        foreach (var listener in _listeners.Keys)
            listener.Writer.TryWrite(new Touched(batch, move));
    }

    public Channel<Touched> Listen()
    {
        var channel = Channel.CreateBounded<Touched>(new BoundedChannelOptions(10_000) { FullMode = BoundedChannelFullMode.DropOldest });
        _listeners[channel] = 0;
        return channel;
    }

    public void Leave(Channel<Touched> channel) => _listeners.TryRemove(channel, out _);
}
