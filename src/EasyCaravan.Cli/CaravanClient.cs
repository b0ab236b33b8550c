using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Net.ServerSentEvents;
using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli;

/// <summary>The service's API. Every failure is a <see cref="CommandException"/> that says what to do next.</summary>
internal sealed class CaravanClient : IDisposable
{
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(100);

    private readonly HttpClient _http;
    private readonly Uri _service;

    public CaravanClient(Uri service, string token)
    {
        _service = service;
        // The token goes to the named service and to nobody else: not where a redirect points, and not to a proxy for this machine's own
        // address.
        _http = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, UseProxy = !IsLoopback(service) });
        _http.BaseAddress = service;
        // Each call has its own: to read a parcel of many gigabytes takes its time.
        _http.Timeout = Timeout.InfiniteTimeSpan;
        _http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
    }

    /// <summary>Whether an address means this machine: what is sent there stays on it.</summary>
    public static bool IsLoopback(Uri address) =>
        address.IsLoopback || (IPAddress.TryParse(address.DnsSafeHost, out var ip) && IPAddress.IsLoopback(ip));

    public Task<T> GetAsync<T>(string path, CancellationToken cancel) => SendAsync<T>(HttpMethod.Get, path, null, cancel);

    /// <summary>An answer as it is, such as a file.</summary>
    public async Task<string> GetTextAsync(string path, CancellationToken cancel)
    {
        using var response = await AskAsync(HttpMethod.Get, path, null, cancel);
        return await response.Content.ReadAsStringAsync(cancel);
    }

    /// <param name="patience">How long the service may take; null: as long as for what is answered at once.</param>
    public Task<T> PostAsync<T>(string path, object? body, CancellationToken cancel, TimeSpan? patience = null) =>
        SendAsync<T>(HttpMethod.Post, path, body, cancel, patience);

    /// <summary>An answer as it is, such as a page.</summary>
    public async Task<string> PostTextAsync(string path, object body, TimeSpan patience, CancellationToken cancel)
    {
        using var response = await AskAsync(HttpMethod.Post, path, body, cancel, patience);
        return await response.Content.ReadAsStringAsync(cancel);
    }

    /// <summary>A file, from an octet on.</summary>
    /// <param name="take">Gets the octets, and how many the whole file has.</param>
    public async Task ReadFileAsync(string path, long from, Func<Stream, long, Task> take, CancellationToken cancel)
    {
        using var response = await SendAsync(
            c =>
            {
                var request = new HttpRequestMessage(HttpMethod.Get, $"api/v1/{path}");
                if (from > 0)
                    request.Headers.Range = new RangeHeaderValue(from, null);
                return _http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, c);
            },
            s_patience,
            cancel
        );
        if (!response.IsSuccessStatusCode)
            throw await ExplainAsync(response, cancel);
        var length = response.Content.Headers.ContentRange?.Length ?? response.Content.Headers.ContentLength ?? 0;
        await using var octets = await response.Content.ReadAsStreamAsync(cancel);
        await take(octets, length);
    }

    /// <param name="content">As it is, such as a file.</param>
    public Task<T> PutAsync<T>(string path, HttpContent content, CancellationToken cancel) =>
        SendAsync<T>(HttpMethod.Put, path, content, cancel);

    /// <summary>Where there is no answer but that it was done.</summary>
    public async Task PutAsync(string path, object body, CancellationToken cancel) =>
        (await AskAsync(HttpMethod.Put, path, body, cancel)).Dispose();

    public async Task DeleteAsync(string path, CancellationToken cancel) =>
        (await AskAsync(HttpMethod.Delete, path, null, cancel)).Dispose();

    /// <summary>All pages of a list.</summary>
    public async Task<List<T>> GetAllAsync<T>(string path, CancellationToken cancel)
    {
        var (_, items) = await ReadAllAsync(path, p => GetAsync<Page<T>>(p, cancel), page => page);
        return items;
    }

    /// <summary>An answer that holds a page of a list, and that list whole.</summary>
    /// <param name="fetch">Asks for the answer at a path.</param>
    /// <param name="pageOf">The page in it.</param>
    public static async Task<(TAnswer First, List<T> Items)> ReadAllAsync<TAnswer, T>(
        string path,
        Func<string, Task<TAnswer>> fetch,
        Func<TAnswer, Page<T>> pageOf
    )
    {
        var first = await fetch(path);
        var page = pageOf(first);
        var items = page.Items.ToList();
        var separator = path.Contains('?', StringComparison.Ordinal) ? '&' : '?';
        while (page.Next is { } cursor)
        {
            page = pageOf(await fetch($"{path}{separator}cursor={Uri.EscapeDataString(cursor)}"));
            items.AddRange(page.Items);
        }
        return (first, items);
    }

    /// <summary>All pages of a list of a batch, of these moves alone.</summary>
    /// <param name="moves">Null: of all moves.</param>
    public async Task<List<T>> GetAllOfAsync<T>(string path, string[]? moves, CancellationToken cancel)
    {
        if (moves is null)
            return await GetAllAsync<T>(path, cancel);
        var items = new List<T>();
        foreach (var move in moves)
            items.AddRange(
                await GetAllAsync<T>(
                    $"{path}{(path.Contains('?', StringComparison.Ordinal) ? '&' : '?')}move={Uri.EscapeDataString(move)}",
                    cancel
                )
            );
        return items;
    }

    /// <summary>One item for each event of the service's live stream, until it ends; a keep-alive counts as an event.</summary>
    public async IAsyncEnumerable<string> ListenAsync([EnumeratorCancellation] CancellationToken cancel)
    {
        using var response = await SendAsync(
            c => _http.GetAsync(new Uri("api/v1/live", UriKind.Relative), HttpCompletionOption.ResponseHeadersRead, c),
            s_patience,
            cancel
        );
        await using var stream = await response.Content.ReadAsStreamAsync(cancel);
        await foreach (var item in SseParser.Create(stream).EnumerateAsync(cancel))
            yield return item.EventType;
    }

    public void Dispose() => _http.Dispose();

    private async Task<T> SendAsync<T>(HttpMethod method, string path, object? body, CancellationToken cancel, TimeSpan? patience = null)
    {
        using var response = await AskAsync(method, path, body, cancel, patience);
        return (await response.Content.ReadFromJsonAsync((JsonTypeInfo<T>)ContractTypes.Default.GetTypeInfo(typeof(T))!, cancel))!;
    }

    /// <returns>An answer that says that it was done.</returns>
    private async Task<HttpResponseMessage> AskAsync(
        HttpMethod method,
        string path,
        object? body,
        CancellationToken cancel,
        TimeSpan? patience = null
    )
    {
        var response = await SendAsync(
            c =>
            {
                var request = new HttpRequestMessage(method, $"api/v1/{path}");
                if (body is not null)
                    request.Content = body as HttpContent ?? JsonContent.Create(body, ContractTypes.Default.GetTypeInfo(body.GetType())!);
                return _http.SendAsync(request, c);
            },
            patience ?? s_patience,
            cancel
        );
        if (response.IsSuccessStatusCode)
            return response;
        using (response)
            throw await ExplainAsync(response, cancel);
    }

    private async Task<HttpResponseMessage> SendAsync(
        Func<CancellationToken, Task<HttpResponseMessage>> send,
        TimeSpan patience,
        CancellationToken cancel
    )
    {
        HttpResponseMessage response;
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limit.CancelAfter(patience);
        try
        {
            response = await send(limit.Token);
        }
        catch (HttpRequestException e)
        {
            throw new CommandException(
                ExitCode.NoService,
                $"The service at {_service} cannot be reached: {e.Message}\n"
                    + "Start it with 'caravan serve --data DIR', or name another with --service or CARAVAN_URL."
            );
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new CommandException(
                ExitCode.NoService,
                $"The service at {_service} did not answer in time.\nLook whether it is running, and try again."
            );
        }
        if ((int)response.StatusCode is >= 300 and < 400)
        {
            var elsewhere = response.Headers.Location;
            response.Dispose();
            throw new CommandException(
                ExitCode.NoService,
                $"{_service} sends callers elsewhere ({elsewhere}); the token is not sent there.\n"
                    + "If that is the service, name it with --service or CARAVAN_URL."
            );
        }
        if (response.StatusCode is not (HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden))
            return response;
        response.Dispose();
        throw new CommandException(
            ExitCode.NoService,
            $"The service at {_service} does not accept the token.\n"
                + "Give the one from admin.token in its data folder with --token-file, CARAVAN_TOKEN or 'caravan profile save'."
        );
    }

    private static async Task<CommandException> ExplainAsync(HttpResponseMessage response, CancellationToken cancel)
    {
        var text = await response.Content.ReadAsStringAsync(cancel);
        try
        {
            using var problem = JsonDocument.Parse(text);
            var root = problem.RootElement;
            string? Word(string name) => root.TryGetProperty(name, out var value) ? value.GetString() : null;
            if (root.TryGetProperty("problems", out var list))
                return new CommandException(
                    ExitCode.WrongUsage,
                    PlanProblems.Write(list.Deserialize(ContractTypes.Default.ListPlanProblem)!)
                );
            return new CommandException(
                ExitCode.Failed,
                $"{Word("detail") ?? Word("title")}{(Word("remedy") is { } remedy ? $"\n{remedy}." : "")}"
            );
        }
        catch (JsonException)
        {
            return new CommandException(
                ExitCode.Failed,
                $"The service answered {(int)response.StatusCode} {response.ReasonPhrase}.\nIts log has the details."
            );
        }
    }
}
