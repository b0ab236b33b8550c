using System.Collections.Concurrent;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;

namespace EasyCaravan.StandIns;

/// <summary>
/// A small authorization server on loopback (RFC 6749, 7523, 7636, 8628): for the demonstration and for refusals on demand.
/// </summary>
public sealed class StandInOAuth : IAsyncDisposable
{
    private readonly LoopbackHttp _http;
    private int _given;
    private readonly ConcurrentDictionary<string, Grant> _refresh = new();
    private readonly ConcurrentDictionary<string, Access> _access = new();
    private readonly ConcurrentDictionary<string, Code> _codes = new();
    private readonly ConcurrentDictionary<string, Device> _devices = new();

    private sealed record Grant(string Login, string Scope);

    private sealed record Access(string? Login, HashSet<string> Scopes, DateTimeOffset Ends);

    private sealed record Code(string Login, string Scope, string Challenge, string Redirect);

    private sealed record Device(string UserCode, string Scope)
    {
        public string? Login { get; set; }

        public bool Denied { get; set; }
    }

    public StandInOAuth() => _http = new LoopbackHttp(AnswerAsync);

    public int Port => _http.Port;

    public string ClientId { get; init; } = "caravan";

    public string ClientSecret { get; init; } = "harbour-client-secret";

    /// <summary>Checks assertions; null: none are taken.</summary>
    public RSA? PublicKey { get; init; }

    public TimeSpan TokenLife { get; set; } = TimeSpan.FromHours(1);

    /// <summary>Each use of a refresh token gives another, and ends the one before.</summary>
    public bool Rotates { get; set; }

    /// <summary>Permissions that an administrator never granted: left out of every token.</summary>
    public ISet<string> Withheld { get; } = new HashSet<string>();

    /// <summary>How many access tokens were given out.</summary>
    public int Given => Volatile.Read(ref _given);

    public Uri Address => _http.Address;

    /// <summary>A consent given elsewhere: its refresh token.</summary>
    public string Consent(string login, string scope = "mail")
    {
        var token = NewSecret();
        _refresh[token] = new Grant(login, scope);
        return token;
    }

    /// <summary>Whether a refresh token of the person is good.</summary>
    public bool IsConsented(string login) => _refresh.Values.Any(g => g.Login == login);

    /// <summary>The person takes every consent back; tokens that are out end at once.</summary>
    public void Revoke(string login)
    {
        foreach (var (token, grant) in _refresh)
            if (grant.Login == login)
                _refresh.TryRemove(token, out _);
        EndTokens(login);
    }

    /// <summary>Tokens that are out are good no longer; new ones may be had.</summary>
    public void EndTokens(string login)
    {
        foreach (var (token, access) in _access)
            if (access.Login is null || access.Login == login)
                _access.TryRemove(token, out _);
    }

    /// <summary>What a person does at the device's page.</summary>
    public bool Approve(string userCode, string login, bool deny = false)
    {
        if (_devices.Values.FirstOrDefault(d => d.UserCode == userCode) is not { } device)
            return false;
        (device.Login, device.Denied) = (login, deny);
        return true;
    }

    /// <summary>Null: the token is not known, over, or another's. Otherwise what it permits.</summary>
    public IReadOnlySet<string>? Permits(string token, string login) =>
        _access.TryGetValue(token, out var access)
        && access.Ends > DateTimeOffset.UtcNow
        && (access.Login is null || access.Login.Equals(login, StringComparison.OrdinalIgnoreCase))
            ? access.Scopes
            : null;

    public async ValueTask DisposeAsync()
    {
        await _http.DisposeAsync();
        PublicKey?.Dispose();
    }

    private async Task AnswerAsync(HttpListenerContext context)
    {
        using var reader = new StreamReader(context.Request.InputStream);
        var form =
            context.Request.HttpMethod == "POST" ? Parse(await reader.ReadToEndAsync()) : Parse(context.Request.Url!.Query.TrimStart('?'));
        switch (context.Request.Url!.AbsolutePath)
        {
            case "/token":
                await WriteAsync(context, Token(form));
                break;
            case "/introspect":
                await WriteAsync(context, Introspect(form.GetValueOrDefault("token", "")));
                break;
            case "/revoke":
                // RFC 7009 §2.2: the answer is the same for a token that nobody knows.
                _refresh.TryRemove(form.GetValueOrDefault("token", ""), out _);
                await WriteAsync(context, (200, new { }));
                break;
            case "/device":
                await WriteAsync(context, BeginDevice(form));
                break;
            case "/authorize":
                Authorize(context, form);
                break;
            default:
                await WriteAsync(context, (404, new { error = "not_found" }));
                break;
        }
    }

    /// <summary>What a server that was shown a token asks (RFC 7662).</summary>
    private (int, object) Introspect(string token) =>
        _access.TryGetValue(token, out var access) && access.Ends > DateTimeOffset.UtcNow
            ? (200, new { active = true, username = access.Login })
            : (200, new { active = false });

    /// <summary>Stands for the page on which a person consents: the account that the hint names does so at once.</summary>
    private void Authorize(HttpListenerContext context, Dictionary<string, string> form)
    {
        var code = NewSecret();
        _codes[code] = new Code(
            form.GetValueOrDefault("login_hint", ""),
            form.GetValueOrDefault("scope", ""),
            form.GetValueOrDefault("code_challenge", ""),
            form.GetValueOrDefault("redirect_uri", "")
        );
        context.Response.Redirect($"{form.GetValueOrDefault("redirect_uri")}?code={code}&state={form.GetValueOrDefault("state")}");
        context.Response.Close();
    }

    private (int, object) BeginDevice(Dictionary<string, string> form)
    {
        var (code, user) = (NewSecret(), $"{RandomNumberGenerator.GetInt32(1000, 9999)}-{RandomNumberGenerator.GetInt32(1000, 9999)}");
        _devices[code] = new Device(user, form.GetValueOrDefault("scope", ""));
        return (
            200,
            new
            {
                device_code = code,
                user_code = user,
                verification_uri = $"{Address}link",
                expires_in = 600,
                interval = 1,
            }
        );
    }

    private (int, object) Token(Dictionary<string, string> form)
    {
        if (form.GetValueOrDefault("client_id") != ClientId)
            return Refuse("invalid_client", "no such client");
        switch (form.GetValueOrDefault("grant_type"))
        {
            case "refresh_token":
                var former = form.GetValueOrDefault("refresh_token", "");
                if (!_refresh.TryGetValue(former, out var grant))
                    return Refuse("invalid_grant", "the consent was taken back or has ended");
                if (!Rotates)
                    return Give(grant.Login, form.GetValueOrDefault("scope", grant.Scope), null);
                _refresh.TryRemove(former, out _);
                return Give(grant.Login, form.GetValueOrDefault("scope", grant.Scope), Consent(grant.Login, grant.Scope));
            case "client_credentials":
                return form.GetValueOrDefault("client_secret") == ClientSecret
                    ? Give(null, form.GetValueOrDefault("scope", "mail"), null)
                    : Refuse("invalid_client", "the client's secret is wrong");
            case "urn:ietf:params:oauth:grant-type:jwt-bearer":
                return Assertion(form.GetValueOrDefault("assertion", "")) is { } login
                    ? Give(login, form.GetValueOrDefault("scope", "mail"), null)
                    : Refuse("invalid_grant", "the assertion does not hold");
            case "authorization_code":
                return
                    _codes.TryRemove(form.GetValueOrDefault("code", ""), out var code)
                    && Challenge(form.GetValueOrDefault("code_verifier", "")) == code.Challenge
                    && form.GetValueOrDefault("redirect_uri") == code.Redirect
                    ? Give(code.Login, code.Scope, Consent(code.Login, code.Scope))
                    : Refuse("invalid_grant", "the code is not good");
            case "urn:ietf:params:oauth:grant-type:device_code":
                if (!_devices.TryGetValue(form.GetValueOrDefault("device_code", ""), out var device))
                    return Refuse("expired_token", "no such code");
                if (device.Denied)
                    return Refuse("access_denied", "the person said no");
                return device.Login is null
                    ? Refuse("authorization_pending", "not yet")
                    : Give(device.Login, device.Scope, Consent(device.Login, device.Scope));
            default:
                return Refuse("unsupported_grant_type", "not here");
        }
    }

    private (int, object) Give(string? login, string scope, string? refresh)
    {
        var scopes = scope.Split(' ', StringSplitOptions.RemoveEmptyEntries).Where(s => !Withheld.Contains(s)).ToHashSet();
        var token = NewSecret();
        _access[token] = new Access(login, scopes, DateTimeOffset.UtcNow + TokenLife);
        Interlocked.Increment(ref _given);
        var answer = new Dictionary<string, object>
        {
            ["access_token"] = token,
            ["token_type"] = "Bearer",
            ["expires_in"] = (int)Math.Ceiling(TokenLife.TotalSeconds),
            ["scope"] = string.Join(' ', scopes),
        };
        if (refresh is not null)
            answer["refresh_token"] = refresh;
        return (200, answer);
    }

    private string? Assertion(string jwt)
    {
        var parts = jwt.Split('.');
        if (
            PublicKey is null
            || parts.Length != 3
            || !PublicKey.VerifyData(
                Encoding.ASCII.GetBytes($"{parts[0]}.{parts[1]}"),
                Octets(parts[2]),
                HashAlgorithmName.SHA256,
                RSASignaturePadding.Pkcs1
            )
        )
            return null;
        using var claims = JsonDocument.Parse(Octets(parts[1]));
        var ends = DateTimeOffset.FromUnixTimeSeconds(claims.RootElement.GetProperty("exp").GetInt64());
        return ends > DateTimeOffset.UtcNow && claims.RootElement.GetProperty("iss").GetString() == ClientId
            ? claims.RootElement.GetProperty("sub").GetString()
            : null;
    }

    private static byte[] Octets(string base64Url) =>
        Convert.FromBase64String(base64Url.Replace('-', '+').Replace('_', '/').PadRight((base64Url.Length + 3) / 4 * 4, '='));

    private static string Challenge(string verifier) =>
        Convert.ToBase64String(SHA256.HashData(Encoding.ASCII.GetBytes(verifier))).TrimEnd('=').Replace('+', '-').Replace('/', '_');

    private static (int, object) Refuse(string error, string description) => (400, new { error, error_description = description });

    private static string NewSecret() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));

    private static Dictionary<string, string> Parse(string form) =>
        form.Split('&', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => p.Split('=', 2))
            .GroupBy(p => WebUtility.UrlDecode(p[0]))
            .ToDictionary(g => g.Key, g => WebUtility.UrlDecode(g.Last().ElementAtOrDefault(1) ?? ""));

    private static async Task WriteAsync(HttpListenerContext context, (int Status, object Body) answer)
    {
        context.Response.StatusCode = answer.Status;
        context.Response.ContentType = "application/json";
        context.Response.Headers["Cache-Control"] = "no-store";
        var body = JsonSerializer.SerializeToUtf8Bytes(answer.Body);
        context.Response.ContentLength64 = body.Length;
        await context.Response.OutputStream.WriteAsync(body);
        context.Response.Close();
    }
}
