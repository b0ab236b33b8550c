using System.Net.ServerSentEvents;
using System.Runtime.CompilerServices;
using System.Threading.Channels;
using EasyCaravan.Contract;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Api;

/// <summary>Server-sent events: moves that changed, gathered so that a busy service does not flood a page.</summary>
internal static class LiveApi
{
    private static readonly TimeSpan s_gather = TimeSpan.FromMilliseconds(400);
    private static readonly TimeSpan s_quiet = TimeSpan.FromSeconds(15);

    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/live", Listen)
            .Produces<List<MoveView>>(contentType: "text/event-stream")
            .WithSummary(
                "Events: 'moves' with the moves that changed; 'plan' when the plan or a decision changed; 'quiet' every 15 s without"
            );

    private static IResult Listen(
        LiveHub hub,
        Tokens tokens,
        Sessions sessions,
        Database database,
        MoveBoard board,
        TimeProvider time,
        IHostApplicationLifetime lifetime,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var caller = Caller.Of(context.User);
        if (hub.Listen(caller) is not { } listener)
            return Problems.TooMany(
                $"{LiveHub.MostOfOne} streams are open already with this sign-in.",
                "Close pages or programs that listen, or give programs a token of their own"
            );
        // Also when the answer was never begun.
        context.Response.OnCompleted(() =>
        {
            hub.Leave(listener);
            return Task.CompletedTask;
        });
        Task<bool> MayListenAsync() =>
            caller.Kind is CallerKind.Token
                ? tokens.IsGoodAsync(caller.Id, CancellationToken.None)
                : sessions.IsOpenAsync(caller.Id, CancellationToken.None);
        return TypedResults.ServerSentEvents(
            EventsAsync(listener, MayListenAsync, database, board, time, lifetime.ApplicationStopping, cancel)
        );
    }

    private static async IAsyncEnumerable<SseItem<List<MoveView>>> EventsAsync(
        Channel<Touched> listener,
        Func<Task<bool>> mayListen,
        Database database,
        MoveBoard board,
        TimeProvider time,
        CancellationToken stopping,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        // An open stream would delay stopping the service; a client that disconnects is not an error.
        using var end = CancellationTokenSource.CreateLinkedTokenSource(cancel, stopping);
        yield return new SseItem<List<MoveView>>([], "quiet");
        while (!end.IsCancellationRequested)
        {
            var news = listener.Reader.WaitToReadAsync(end.Token).AsTask();
            while (!news.IsCompleted)
            {
                await Task.WhenAny(news, Task.Delay(s_quiet, time, end.Token));
                if (!await mayListen())
                    yield break;
                if (!news.IsCompleted)
                    yield return new SseItem<List<MoveView>>([], "quiet");
            }
            if (end.IsCancellationRequested)
                break;
            await Task.Delay(s_gather, time, end.Token).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            if (end.IsCancellationRequested || !await mayListen())
                break;
            var ids = new HashSet<long>();
            var plan = false;
            while (ids.Count < 500 && listener.Reader.TryRead(out var touched))
                if (touched.Move is { } move)
                    ids.Add(move);
                else
                    plan = true;
            if (plan)
                yield return new SseItem<List<MoveView>>([], "plan");
            if (ids.Count == 0)
                continue;
            await using var db = database.Read();
            yield return new SseItem<List<MoveView>>(
                await board.LoadAsync(db, db.Moves.Where(m => ids.Contains(m.Id)), CancellationToken.None),
                "moves"
            );
        }
    }
}
