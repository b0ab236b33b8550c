using System.Collections.Concurrent;
using System.Threading.Channels;
using EasyCaravan.Service.Access;

namespace EasyCaravan.Service.Live;

/// <summary>What changed, for whoever listens.</summary>
/// <param name="Move">Null: something that may concern everybody, such as the plan or a decision.</param>
internal readonly record struct Touched(long? Move);

/// <summary>Tells listeners which moves changed. A slow listener loses the oldest events and never delays a pass.</summary>
internal sealed class LiveHub
{
    /// <summary>
    /// Streams of one session or token. Each holds a connection and a queue of this process, so it is counted here, not in the store.
    /// </summary>
    public const int MostOfOne = 64;

    private readonly ConcurrentDictionary<Channel<Touched>, Caller> _listeners = new();
    private readonly Lock _joining = new();

    public void Touch(long move) => Tell(new Touched(move));

    /// <summary>The plan changed, or a decision that may concern everybody.</summary>
    public void TouchPlan() => Tell(new Touched(null));

    /// <summary>A token was revoked or a session has ended: each listener looks whether it may still listen.</summary>
    public void Recheck() => TouchPlan();

    private void Tell(Touched touched)
    {
        foreach (var listener in _listeners.Keys)
            listener.Writer.TryWrite(touched);
    }

    /// <returns>Null: this caller listens often enough.</returns>
    public Channel<Touched>? Listen(Caller caller)
    {
        var channel = Channel.CreateBounded<Touched>(new BoundedChannelOptions(10_000) { FullMode = BoundedChannelFullMode.DropOldest });
        lock (_joining)
        {
            if (_listeners.Values.Count(c => c == caller) >= MostOfOne)
                return null;
            _listeners[channel] = caller;
        }
        return channel;
    }

    public void Leave(Channel<Touched> channel) => _listeners.TryRemove(channel, out _);
}
