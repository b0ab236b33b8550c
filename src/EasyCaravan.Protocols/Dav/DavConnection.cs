using System.Net;
using System.Net.Http.Headers;
using System.Net.Security;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Protocols.Dav;

/// <summary>
/// Requests to one server as one person. What is thrown is about the connection or the sign-in; what the server says of a request is for
/// whoever made it.
/// </summary>
internal sealed class DavConnection : IDisposable
{
    /// <summary>For the head of an answer. A server that lists thousands of items may need as long.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(120);

    /// <summary>Kilobytes of all headers of an answer.</summary>
    private const int LargestHeaders = 64;

    /// <summary>Above so many octets a body is sent only once the server wants it (RFC 9110 §10.1.1).</summary>
    private const int LargeBody = 1024 * 1024;

    private readonly Service _service;
    private readonly Credentials _who;
    private readonly AccessTokens? _tokens;
    private readonly int _connections;
    private readonly HttpTls _tls;
    private AccessToken? _token;

    private volatile HttpClient _http;

    /// <summary>The one that was used before the server's version was known: answers on it may still be read.</summary>
    private HttpClient? _earlier;
    private bool _usesConnectionsOnce;

    /// <param name="url">Of the address books or calendars; may hold <c>{account}</c>.</param>
    /// <param name="connections">At the same time.</param>
    public DavConnection(Service service, Uri url, Credentials who, AccessTokens? tokens, int connections)
    {
        (_service, _who, _tokens) = (service, who, tokens);
        Start = new Uri(url.OriginalString.Replace("{account}", Uri.EscapeDataString(who.Account), StringComparison.Ordinal));
        Origin = new Uri(Start.GetLeftPart(UriPartial.Authority));
        _tls = new HttpTls(service.Trust, Start.Host, machineTrustServes: false);
        _connections = connections;
        _http = MakeClient(TimeSpan.FromMinutes(5));
    }

    /// <param name="lifetime">Of one connection; zero: it is used for one request.</param>
    private HttpClient MakeClient(TimeSpan lifetime) =>
        new(
            _tls.Guard(
                new SocketsHttpHandler
                {
                    AllowAutoRedirect = false,
                    // Answers are compared octet by octet, and a small one that grows without end would use all memory.
                    AutomaticDecompression = DecompressionMethods.None,
                    UseCookies = false,
                    MaxConnectionsPerServer = _connections,
                    MaxResponseHeadersLength = LargestHeaders,
                    PooledConnectionLifetime = lifetime,
                    ConnectTimeout = TimeSpan.FromSeconds(20),
                    Expect100ContinueTimeout = TimeSpan.FromSeconds(5),
                }
            )
        )
        {
            Timeout = Timeout.InfiniteTimeSpan,
        };

    /// <summary>Where the plan says that it begins.</summary>
    public Uri Start { get; }

    public Uri Origin { get; }

    public string Account => _who.Account;

    /// <summary>By its name in the plan.</summary>
    public string Service => _service.Name;

    public static DateTimeOffset Now => TimeProvider.System.GetUtcNow();

    /// <summary>The fault for something this server did.</summary>
    public FaultException Failed(Cause cause, string what, Exception? inner = null) =>
        new(new Fault(cause, _who.Account, what) { Service = _service.Name }, Verdict.Keep, inner);

    public FaultException Garbage(FormatException e) =>
        Failed(Cause.ProtocolBroken, $"{_service.Name} gave an answer that nobody can read: {e.Message}", e);

    /// <summary>
    /// The path of an address that the server tells. It may be absolute, but only on this server: nobody sends our sign-in elsewhere.
    /// </summary>
    /// <exception cref="FormatException">It is on another server, or no address.</exception>
    public Href PathOf(string told, Href? at = null)
    {
        var from = new Uri(Origin, at?.ToString() ?? Start.AbsolutePath);
        if (!Uri.TryCreate(from, told, out var address) || !IsHere(address))
            throw new FormatException($"the server names '{(told.Length > 200 ? told[..200] : told)}', which is not on it");
        // As it is written, because servers may tell apart what is equal to others.
        var isPath = told.StartsWith('/') && !told.StartsWith("//", StringComparison.Ordinal);
        return new Href(isPath ? told : address.AbsolutePath);
    }

    /// <summary>On this server, and no less protected.</summary>
    public bool IsHere(Uri address) =>
        address.Host.Equals(Origin.Host, StringComparison.OrdinalIgnoreCase)
        && (address.Port == Origin.Port || (address.Scheme == "https" && Origin.Scheme == "http"))
        && (address.Scheme == Origin.Scheme || address.Scheme == "https");

    /// <exception cref="FaultException">There is no connection, or the sign-in is refused.</exception>
    public async Task<DavAnswer> SendAsync(DavRequest request, CancellationToken cancel)
    {
        var answer = await SendOnceAsync(request, null, cancel);
        if (answer.Status is not HttpStatusCode.Unauthorized)
            return answer;
        if (_token is { } refused)
        {
            // Revoked or ended early: one with a later date may be had.
            answer.Dispose();
            answer = await SendOnceAsync(request, refused.Value, cancel);
            if (answer.Status is not HttpStatusCode.Unauthorized)
                return answer;
        }
        using (answer)
        {
            var said = await DavCauses.WordsOfAsync(answer, cancel);
            throw new FaultException(
                new Fault(
                    SignInHints.CauseOfWords(said) ?? Cause.SignInRefused,
                    _who.Account,
                    $"{_service.Name} refused the sign-in of {Login} to {Start.Host}{(said.Length > 0 ? $": {said}" : "")}"
                ),
                Verdict.Close
            );
        }
    }

    public string Login => _service.SignIn is Core.Planning.SignIn.OnBehalf onBehalf ? onBehalf.LoginFor(_who.Login) : _who.Login;

    private async Task<DavAnswer> SendOnceAsync(DavRequest request, string? refusedToken, CancellationToken cancel)
    {
        using var message = new HttpRequestMessage(new HttpMethod(request.Method), new Uri(Origin, request.Path.ToString()));
        await SignAsync(message, refusedToken, cancel);
        if (request.Depth is { } depth)
            message.Headers.Add("Depth", depth.ToString(System.Globalization.CultureInfo.InvariantCulture));
        if (request.Accept is { } accept)
            message.Headers.TryAddWithoutValidation("Accept", accept);
        if (request.IfMatch is { } tag)
            message.Headers.TryAddWithoutValidation("If-Match", tag.Value);
        if (request.IfNone)
            message.Headers.TryAddWithoutValidation("If-None-Match", "*");
        if (request.Body is { } body)
        {
            message.Content = new ReadOnlyMemoryContent(body);
            if (request.ContentType is { } type)
                message.Content.Headers.TryAddWithoutValidation("Content-Type", type);
            message.Headers.ExpectContinue = body.Length > LargeBody ? true : null;
        }
        var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        HttpResponseMessage? response = null;
        try
        {
            patience.CancelAfter(s_patience);
            response = await _http.SendAsync(message, HttpCompletionOption.ResponseHeadersRead, patience.Token);
            NoteVersion(response.Version);
            var stream = new PatientStream(await response.Content.ReadAsStreamAsync(patience.Token), s_patience, Lost);
            return new DavAnswer(response, stream, patience);
        }
        catch (Exception e) when (e is HttpRequestException or IOException or OperationCanceledException && !cancel.IsCancellationRequested)
        {
            response?.Dispose();
            patience.Dispose();
            throw Lost(e);
        }
        catch
        {
            response?.Dispose();
            patience.Dispose();
            throw;
        }
    }

    /// <summary>
    /// Quirk (a server of HTTP/1.0, which ends each connection after one answer, RFC 9112 §9.3): what is sent on a connection that is just
    /// being closed is lost, so none is used twice.
    /// </summary>
    private void NoteVersion(Version version)
    {
        if (version >= HttpVersion.Version11 || _usesConnectionsOnce)
            return;
        _usesConnectionsOnce = true;
        _earlier = _http;
        _http = MakeClient(TimeSpan.Zero);
    }

    private async Task SignAsync(HttpRequestMessage message, string? refusedToken, CancellationToken cancel)
    {
        if (_service.SignIn is Core.Planning.SignIn.OAuth)
        {
            _token = await _tokens!.GetAsync(_service, _who, refusedToken, cancel);
            message.Headers.Authorization = new AuthenticationHeaderValue("Bearer", _token.Value);
            return;
        }
        // RFC 7617 §2.1: in UTF-8, whether the server says so or not.
        var secret = Convert.ToBase64String(Encoding.UTF8.GetBytes($"{Login}:{_who.Secret}"));
        message.Headers.Authorization = new AuthenticationHeaderValue("Basic", secret);
    }

    private FaultException Lost(Exception e)
    {
        if (_tls.Explain(e, Start) is var (cause, why))
            return OfServer(cause, why, e);
        return e switch
        {
            OperationCanceledException => Failed(Cause.TimedOut, $"{Start.Host} did not answer within {s_patience.TotalSeconds:0} s", e),
            HttpRequestException { HttpRequestError: HttpRequestError.NameResolutionError } => OfServer(
                Cause.HostUnknown,
                $"the host {Start.Host} cannot be found",
                e
            ),
            HttpRequestException { HttpRequestError: HttpRequestError.ConnectionError } => OfServer(
                Cause.Unreachable,
                $"{Start.Host} port {Start.Port} cannot be reached",
                e
            ),
            HttpRequestException { HttpRequestError: HttpRequestError.InvalidResponse or HttpRequestError.ConfigurationLimitExceeded } =>
                Failed(Cause.ProtocolBroken, $"{Start.Host} does not answer as HTTP asks for", e),
            _ => Failed(Cause.ConnectionLost, "the connection was lost", e),
        };
    }

    private FaultException OfServer(Cause cause, string what, Exception inner) =>
        new(new Fault(cause, _service.Name, what), Verdict.Close, inner);

    public void Dispose()
    {
        _earlier?.Dispose();
        _http.Dispose();
    }
}
