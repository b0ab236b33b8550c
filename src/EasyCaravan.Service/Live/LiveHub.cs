using System.Collections.Concurrent;
using System.Threading.Channels;

namespace EasyCaravan.Service.Live;

/// <summary>What changed, for whoever listens.</summary>
/// <param name="Move">Null: something that may concern everybody, such as the plan or a decision.</param>
internal readonly record struct Touched(long? Move);

/// <summary>Tells listeners which moves changed. A slow listener loses the oldest events and never delays a pass.</summary>
internal sealed class LiveHub
{
    private readonly ConcurrentDictionary<Channel<Touched>, byte> _listeners = new();

    public void Touch(long move) => Tell(new Touched(move));

    /// <summary>The plan changed, or a decision that may concern everybody.</summary>
    public void TouchPlan() => Tell(new Touched(null));

    private void Tell(Touched touched)
    {
        foreach (var listener in _listeners.Keys)
            listener.Writer.TryWrite(touched);
    }

    public Channel<Touched> Listen()
    {
        var channel = Channel.CreateBounded<Touched>(new BoundedChannelOptions(10_000) { FullMode = BoundedChannelFullMode.DropOldest });
        _listeners[channel] = 0;
        return channel;
    }

    public void Leave(Channel<Touched> channel) => _listeners.TryRemove(channel, out _);
}
