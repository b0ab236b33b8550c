using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.StandIns;

/// <summary>Answers HTTP requests on a free port of this machine, several at a time, until it is disposed.</summary>
public sealed class LoopbackHttp : IAsyncDisposable
{
    private readonly HttpListener _listener = new();
    private readonly TaskCompletionSource _stopped = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly ConcurrentDictionary<Task, byte> _answering = new();
    private readonly Func<HttpListenerContext, Task> _answer;
    private readonly Task _serving;

    public LoopbackHttp(Func<HttpListenerContext, Task> answer)
    {
        _answer = answer;
        using (var free = new TcpListener(IPAddress.Loopback, 0))
        {
            free.Start();
            Port = ((IPEndPoint)free.LocalEndpoint).Port;
        }
        _listener.Prefixes.Add(Address.ToString());
        _listener.Start();
        _serving = ServeAsync();
    }

    public int Port { get; }

    public Uri Address => new($"http://127.0.0.1:{Port}/");

    public async ValueTask DisposeAsync()
    {
        _stopped.TrySetResult();
        await _serving;
        _listener.Stop();
        await Task.WhenAll(_answering.Keys);
        _listener.Close();
    }

    private async Task ServeAsync()
    {
        while (!_stopped.Task.IsCompleted)
        {
            // A listener that is stopped while it is asked for the next request may never answer: so nobody waits for it alone.
            var next = _listener.GetContextAsync();
            if (await Task.WhenAny(next, _stopped.Task) != next)
            {
                _ = next.ContinueWith(late => late.Exception, TaskContinuationOptions.OnlyOnFaulted);
                return;
            }
            var answering = AnswerAsync(next);
            _answering[answering] = 0;
            _ = answering.ContinueWith(done => _answering.TryRemove(done, out _), TaskScheduler.Default);
        }
    }

    private async Task AnswerAsync(Task<HttpListenerContext> next)
    {
        try
        {
            await _answer(await next);
        }
        catch (Exception e) when (e is HttpListenerException or IOException or ObjectDisposedException or InvalidOperationException)
        {
            // The caller left, or it is being stopped.
        }
    }
}
