using System.Collections.Concurrent;
using System.Net;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>
/// A small service of address books (RFC 6352) and calendars (RFC 4791) in memory, on loopback: for the demonstration and for faults on
/// demand.
/// </summary>
public sealed class StandInDav : IAsyncDisposable
{
    private readonly LoopbackHttp _http;
    private readonly ConcurrentDictionary<string, StandInDavAccount> _accounts = new(StringComparer.OrdinalIgnoreCase);

    public StandInDav(StandInDavManners manners)
    {
        Manners = manners;
        _http = new LoopbackHttp(AnswerAsync);
    }

    /// <summary>May change while it runs; the next answer follows.</summary>
    public StandInDavManners Manners { get; set; }

    public int Port => _http.Port;

    public Uri Address => _http.Address;

    /// <summary>Requests by method: for tests of what a pass costs.</summary>
    public ConcurrentDictionary<string, int> Requests { get; } = new(StringComparer.Ordinal);

    /// <summary>With an address book and a calendar that it uses where a person chose none.</summary>
    public StandInDavAccount AddAccount(string login, string password)
    {
        var account = new StandInDavAccount(login, password);
        account.Make(isCalendar: false, "contacts", "Contacts");
        account.Make(isCalendar: true, "calendar", "Calendar");
        return _accounts[login] = account;
    }

    public StandInDavAccount? Find(string login) => _accounts.GetValueOrDefault(login);

    public ValueTask DisposeAsync() => _http.DisposeAsync();

    private async Task AnswerAsync(HttpListenerContext context)
    {
        var request = context.Request;
        Requests.AddOrUpdate(request.HttpMethod, 1, (_, n) => n + 1);
        if (Manners.Pause > TimeSpan.Zero)
            await Task.Delay(Manners.Pause);
        var body = new MemoryStream();
        await request.InputStream.CopyToAsync(body);
        var answer = Answer(request, body.ToArray());
        var response = context.Response;
        response.StatusCode = answer.Status;
        foreach (var (name, value) in answer.Headers)
            response.Headers[name] = value;
        response.ContentLength64 = answer.Body.Length;
        if (answer.ContentType is { } type)
            response.ContentType = type;
        await response.OutputStream.WriteAsync(answer.Body);
        response.Close();
    }

    private StandInDavAnswer Answer(HttpListenerRequest request, byte[] body)
    {
        if (Manners.BusyFor is { } seconds)
            return new StandInDavAnswer(503) { Headers = { ["Retry-After"] = $"{seconds}" } };
        // As it was sent, so that an encoded slash within a name parts nothing.
        var path = request.RawUrl!.Split('?')[0];
        if (path.StartsWith("/.well-known/", StringComparison.Ordinal))
            return new StandInDavAnswer(301) { Headers = { ["Location"] = "/" } };
        var parts = path.Split('/', StringSplitOptions.RemoveEmptyEntries).Select(Uri.UnescapeDataString).ToArray();
        if (SignIn(request.Headers["Authorization"], parts.FirstOrDefault()) is not { } account)
            return new StandInDavAnswer(401)
            {
                Headers = { ["WWW-Authenticate"] = Manners.Tokens is null ? "Basic realm=\"calendars\"" : "Bearer" },
            };
        if (parts.Length > 0 && !parts[0].Equals(account.Login, StringComparison.OrdinalIgnoreCase))
            return new StandInDavAnswer(403);
        lock (account.Lock)
            return new StandInDavRequest(Manners, account, request.HttpMethod, parts, request.Headers, body).Answer();
    }

    private StandInDavAccount? SignIn(string? authorization, string? named)
    {
        if (Manners.Tokens is { } tokens)
            return
                authorization?.StartsWith("Bearer ", StringComparison.OrdinalIgnoreCase) is true
                && named is not null
                && tokens.Permits(authorization[7..], named)?.Contains(Manners.Scope) is true
                ? Find(named)
                : null;
        if (authorization?.StartsWith("Basic ", StringComparison.OrdinalIgnoreCase) is not true)
            return null;
        var octets = new byte[authorization.Length];
        if (!Convert.TryFromBase64String(authorization[6..], octets, out var length))
            return null;
        return
            Encoding.UTF8.GetString(octets, 0, length).Split(':', 2) is [var login, var password]
            && Find(login) is { } account
            && account.Password == password
            ? account
            : null;
    }
}
