using System.Collections.Concurrent;
using System.Security.Cryptography;
using Duende.IdentityModel.Client;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace EasyCaravan.Protocols.SignIn;

/// <summary>An access token as the authorization server gave it.</summary>
/// <param name="Scopes">Those granted, where the server names them; null: those asked for (RFC 6749 §5.1).</param>
public sealed record AccessToken(string Value, DateTimeOffset Ends, IReadOnlySet<string>? Scopes)
{
    /// <summary>Without the token: records print all they hold.</summary>
    public override string ToString() => $"token until {Ends:u}";
}

/// <summary>A code for a person to type at another device (RFC 8628 §3.2).</summary>
public sealed record DeviceCode(string Code, string UserCode, Uri Where, DateTimeOffset Ends, TimeSpan Interval)
{
    /// <summary>Without the codes.</summary>
    public override string ToString() => $"code for {Where.Host} until {Ends:u}";
}

/// <summary>What a person's consent gave.</summary>
public sealed record Consent(string RefreshToken, string? Scope)
{
    /// <summary>Without the token.</summary>
    public override string ToString() => $"consent to {Scope}";
}

/// <summary>Obtains access tokens, keeps them while they are valid, and renews them before they expire.</summary>
/// <param name="open">Opens a secret that the plan refers to.</param>
/// <param name="rotated">
/// Told of a refresh token that takes the place of the one in the credentials (RFC 6749 §6); must keep it before it returns.
/// </param>
public sealed class AccessTokens(Func<SecretReference, string> open, Func<Service, Credentials, string, Task> rotated, TimeProvider time)
    : IDisposable
{
    /// <summary>
    /// A token is renewed this long before it expires, or at half of its lifetime when that is shorter, so that it does not expire on its
    /// way to the server.
    /// </summary>
    private static readonly TimeSpan s_early = TimeSpan.FromMinutes(2);

    /// <summary>For one exchange with an authorization server.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(30);

    /// <summary>Tokens that were not used for this long are let go.</summary>
    private static readonly TimeSpan s_unused = TimeSpan.FromHours(1);

    private readonly ConcurrentDictionary<(string Service, string Account), Kept> _kept = new();
    private DateTimeOffset _dropAt;
    private readonly ConcurrentDictionary<(string Host, Trust Trust), (HttpClient Http, HttpTls Tls)> _clients = new();

    private sealed class Kept
    {
        public SemaphoreSlim Gate { get; } = new(1);

        public AccessToken? Token { get; set; }

        public DateTimeOffset RenewAt { get; set; }

        public DateTimeOffset UsedAt { get; set; }

        /// <summary>As the caller gave it first.</summary>
        public string Given { get; set; } = "";

        /// <summary>The one in force, after the server changed it.</summary>
        public string Refresh { get; set; } = "";
    }

    /// <param name="refused">A token that the mail server did not take: whatever its date says, it is not used again.</param>
    /// <exception cref="FaultException">
    /// The authorization server gave none; the fault says why, and names a permission that is missing.
    /// </exception>
    public async Task<AccessToken> GetAsync(Service service, Credentials who, string? refused, CancellationToken cancel)
    {
        var signIn = (Core.Planning.SignIn.OAuth)service.SignIn;
        // Client credentials stand for the client alone: one token serves all accounts.
        var account = signIn.Grant is OAuthGrant.ClientCredentials ? "" : who.Login;
        DropUnused();
        var kept = _kept.GetOrAdd((service.Name, account), _ => new Kept());
        kept.UsedAt = time.GetUtcNow();
        await kept.Gate.WaitAsync(cancel);
        try
        {
            // The roster's secret changed, so tokens that came from the old one are no longer valid.
            if (who.Secret != kept.Given && who.Secret != kept.Refresh)
                (kept.Given, kept.Refresh, kept.Token) = (who.Secret, who.Secret, null);
            if (kept.Token is { } token && kept.RenewAt > time.GetUtcNow() && token.Value != refused)
                return token;
            var response = await AskAsync(service, signIn, who, kept.Refresh, cancel);
            token = TokenOf(service, signIn, who, response);
            Secrecy.Keep(token.Value);
            if (
                response.RefreshToken is { Length: > 0 } next
                && next != kept.Refresh
                && signIn.Grant is not (OAuthGrant.ClientCredentials or OAuthGrant.JwtBearer)
            )
            {
                await rotated(service, who with { Secret = kept.Refresh }, next);
                kept.Refresh = next;
            }
            var life = token.Ends - time.GetUtcNow();
            (kept.Token, kept.RenewAt) = (token, token.Ends - (life > s_early * 2 ? s_early : life / 2));
            return token;
        }
        finally
        {
            kept.Gate.Release();
        }
    }

    /// <summary>
    /// Somebody's move is over: nothing of theirs is kept. Who the others are is asked anew, which is simpler than to know whose is whose.
    /// </summary>
    public void Forget() => _kept.Clear();

    /// <summary>Whoever moves uses a token now and then; what nobody uses is kept for nobody.</summary>
    private void DropUnused()
    {
        var now = time.GetUtcNow();
        if (now < _dropAt)
            return;
        _dropAt = now + s_unused;
        foreach (var (key, kept) in _kept)
            if (now - kept.UsedAt > s_unused)
                _kept.TryRemove(key, out _);
    }

    /// <summary>The first step of consent with a code on another device.</summary>
    public async Task<DeviceCode> BeginDeviceAsync(Service service, CancellationToken cancel)
    {
        var signIn = (Core.Planning.SignIn.OAuth)service.SignIn;
        using var request = new DeviceAuthorizationRequest
        {
            Address = signIn.Client.DeviceUrl!.ToString(),
            ClientId = signIn.Client.ClientId,
            ClientSecret = Open(signIn.Client.ClientSecret),
            Scope = ScopeOf(signIn),
            ClientCredentialStyle = ClientCredentialStyle.PostBody,
        };
        var response = await ClientFor(service, signIn.Client.DeviceUrl!).RequestDeviceAuthorizationAsync(request, cancel);
        if (response.IsError)
            throw Refused(service, signIn.Client.DeviceUrl!, service.Name, response, response.ErrorDescription);
        // RFC 8628 §3.2. People follow it: an address of another kind could be a script.
        if (
            !Uri.TryCreate(response.VerificationUriComplete ?? response.VerificationUri, UriKind.Absolute, out var where)
            || where.Scheme is not ("https" or "http")
            || response is not { DeviceCode.Length: > 0, UserCode.Length: > 0 }
        )
            throw new FaultException(
                new Fault(
                    Cause.ProtocolBroken,
                    service.Name,
                    $"the authorization server of {service.Name} gave no code, or no web address to type it at"
                ),
                Verdict.Keep
            );
        return new DeviceCode(
            response.DeviceCode,
            response.UserCode,
            where,
            time.GetUtcNow().AddSeconds(response.ExpiresIn ?? 600),
            TimeSpan.FromSeconds(Math.Max(1, response.Interval))
        );
    }

    /// <summary>Null while the person has not answered yet.</summary>
    public async Task<Consent?> TryEndDeviceAsync(Service service, string account, DeviceCode code, CancellationToken cancel)
    {
        var signIn = (Core.Planning.SignIn.OAuth)service.SignIn;
        using var request = new DeviceTokenRequest
        {
            Address = signIn.Client.TokenUrl.ToString(),
            ClientId = signIn.Client.ClientId,
            ClientSecret = Open(signIn.Client.ClientSecret),
            DeviceCode = code.Code,
            ClientCredentialStyle = ClientCredentialStyle.PostBody,
        };
        var response = await ClientFor(service, signIn.Client.TokenUrl).RequestDeviceTokenAsync(request, cancel);
        // RFC 8628 §3.5.
        if (response.IsError && response.Error is "authorization_pending" or "slow_down")
            return null;
        return ConsentOf(service, signIn, account, response);
    }

    /// <summary>Where a person consents in the browser (RFC 6749 §4.1.1, RFC 7636 §4.3).</summary>
    public static Uri AuthorizeUrl(Service service, string account, Uri redirect, string state, string verifier)
    {
        var signIn = (Core.Planning.SignIn.OAuth)service.SignIn;
        var challenge = Base64UrlEncoder.Encode(SHA256.HashData(System.Text.Encoding.ASCII.GetBytes(verifier)));
        // offline access: the client needs a token that outlives the person's own session.
        return new Uri(
            new RequestUrl(signIn.Client.AuthorizeUrl!.ToString()).CreateAuthorizeUrl(
                signIn.Client.ClientId,
                "code",
                ScopeOf(signIn),
                redirect.ToString(),
                state,
                loginHint: account,
                codeChallenge: challenge,
                codeChallengeMethod: "S256"
            )
        );
    }

    public async Task<Consent> EndCodeAsync(
        Service service,
        string account,
        string code,
        Uri redirect,
        string verifier,
        CancellationToken cancel
    )
    {
        var signIn = (Core.Planning.SignIn.OAuth)service.SignIn;
        using var request = new AuthorizationCodeTokenRequest
        {
            Address = signIn.Client.TokenUrl.ToString(),
            ClientId = signIn.Client.ClientId,
            ClientSecret = Open(signIn.Client.ClientSecret),
            Code = code,
            RedirectUri = redirect.ToString(),
            CodeVerifier = verifier,
            ClientCredentialStyle = ClientCredentialStyle.PostBody,
        };
        return ConsentOf(
            service,
            signIn,
            account,
            await ClientFor(service, signIn.Client.TokenUrl).RequestAuthorizationCodeTokenAsync(request, cancel)
        );
    }

    /// <summary>
    /// Gives up a refresh token, and with it the access tokens that came of it, where the server says how (RFC 7009); what is kept of the
    /// account here is let go.
    /// </summary>
    /// <returns>False: the server does not tell where, or does not do it.</returns>
    /// <exception cref="FaultException">The server could not be asked.</exception>
    public async Task<bool> GiveUpAsync(Service service, Credentials who, CancellationToken cancel)
    {
        _kept.TryRemove((service.Name, who.Login), out _);
        if (service.SignIn is not Core.Planning.SignIn.OAuth { Client.RevokeUrl: { } url } signIn || who.Secret.Length == 0)
            return false;
        using var request = new TokenRevocationRequest
        {
            Address = url.ToString(),
            ClientId = signIn.Client.ClientId,
            ClientSecret = Open(signIn.Client.ClientSecret),
            Token = who.Secret,
            TokenTypeHint = "refresh_token",
            ClientCredentialStyle = ClientCredentialStyle.PostBody,
        };
        var response = await ClientFor(service, url).RevokeTokenAsync(request, cancel);
        // RFC 7009 §2.2: a token that the server does not know is as good as given up, and it answers so.
        if (response.ErrorType is ResponseErrorType.Exception || response.HttpStatusCode is System.Net.HttpStatusCode.ServiceUnavailable)
            throw Refused(service, url, who.Account, response, response.Error);
        return !response.IsError;
    }

    public void Dispose()
    {
        foreach (var (http, _) in _clients.Values)
            http.Dispose();
        foreach (var kept in _kept.Values)
            kept.Gate.Dispose();
    }

    private async Task<TokenResponse> AskAsync(
        Service service,
        Core.Planning.SignIn.OAuth signIn,
        Credentials who,
        string secret,
        CancellationToken cancel
    )
    {
        var http = ClientFor(service, signIn.Client.TokenUrl);
        var (address, id, clientSecret) = (signIn.Client.TokenUrl.ToString(), signIn.Client.ClientId, Open(signIn.Client.ClientSecret));
        switch (signIn.Grant)
        {
            case OAuthGrant.ClientCredentials:
                using (
                    var request = new ClientCredentialsTokenRequest
                    {
                        Address = address,
                        ClientId = id,
                        ClientSecret = clientSecret,
                        Scope = ScopeOf(signIn),
                        ClientCredentialStyle = ClientCredentialStyle.PostBody,
                    }
                )
                    return await http.RequestClientCredentialsTokenAsync(request, cancel);
            case OAuthGrant.JwtBearer:
                using (
                    var request = new TokenRequest
                    {
                        Address = address,
                        ClientId = id,
                        ClientSecret = clientSecret,
                        GrantType = "urn:ietf:params:oauth:grant-type:jwt-bearer",
                        ClientCredentialStyle = ClientCredentialStyle.PostBody,
                    }
                )
                {
                    request.Parameters.Add("assertion", Assertion(signIn, who));
                    if (ScopeOf(signIn) is { } scope)
                        request.Parameters.Add("scope", scope);
                    return await http.RequestTokenAsync(request, cancel);
                }
            default:
                using (
                    var request = new RefreshTokenRequest
                    {
                        Address = address,
                        ClientId = id,
                        ClientSecret = clientSecret,
                        RefreshToken = secret,
                        Scope = ScopeOf(signIn),
                        ClientCredentialStyle = ClientCredentialStyle.PostBody,
                    }
                )
                    return await http.RequestRefreshTokenAsync(request, cancel);
        }
    }

    /// <summary>The claims of RFC 7523 §3: issuer, subject, audience and a short lifetime.</summary>
    private string Assertion(Core.Planning.SignIn.OAuth signIn, Credentials who)
    {
        var pem = Open(signIn.Client.Key)!;
        using var rsa = RSA.Create();
        try
        {
            rsa.ImportFromPem(pem);
        }
        catch (ArgumentException e)
        {
            throw new FaultException(
                new Fault(Cause.SecretUnreadable, who.Account, $"{signIn.Client.Key} holds no private RSA key in PEM form"),
                Verdict.Keep,
                e
            );
        }
        var now = time.GetUtcNow().UtcDateTime;
        // The factory caches signing providers by key; this key is gone after the call.
        var key = new RsaSecurityKey(rsa.ExportParameters(true))
        {
            KeyId = signIn.Client.KeyId,
            CryptoProviderFactory = new CryptoProviderFactory { CacheSignatureProviders = false },
        };
        return new JsonWebTokenHandler().CreateToken(
            new SecurityTokenDescriptor
            {
                Issuer = signIn.Client.Issuer ?? signIn.Client.ClientId,
                Audience = signIn.Client.Audience ?? signIn.Client.TokenUrl.ToString(),
                IssuedAt = now,
                NotBefore = now,
                Expires = now.AddMinutes(5),
                Claims = new Dictionary<string, object>
                {
                    ["sub"] = who.Login,
                    ["jti"] = Guid.NewGuid().ToString("N"),
                    ["scope"] = ScopeOf(signIn) ?? "",
                },
                SigningCredentials = new SigningCredentials(key, SecurityAlgorithms.RsaSha256),
            }
        );
    }

    private AccessToken TokenOf(Service service, Core.Planning.SignIn.OAuth signIn, Credentials who, TokenResponse response)
    {
        if (response.IsError || response.AccessToken is null)
            throw Refused(service, signIn.Client.TokenUrl, who.Account, response, response.ErrorDescription);
        var granted = response.Scope?.Split(' ', StringSplitOptions.RemoveEmptyEntries).ToHashSet(StringComparer.Ordinal);
        if (granted is not null)
            RequireScopes(service, who.Account, signIn, granted);
        // RFC 6749 §5.1: where the server does not say how long, an hour is the custom.
        return new AccessToken(
            response.AccessToken,
            time.GetUtcNow().AddSeconds(response.ExpiresIn > 0 ? response.ExpiresIn : 3600),
            granted
        );
    }

    private Consent ConsentOf(Service service, Core.Planning.SignIn.OAuth signIn, string account, TokenResponse response)
    {
        if (response.IsError || response.AccessToken is null)
            throw Refused(service, signIn.Client.TokenUrl, account, response, response.ErrorDescription);
        if (response.Scope is { } scope)
            RequireScopes(
                service,
                account,
                signIn,
                scope.Split(' ', StringSplitOptions.RemoveEmptyEntries).ToHashSet(StringComparer.Ordinal)
            );
        if (response.RefreshToken is not { Length: > 0 } refresh)
            throw new FaultException(
                new Fault(
                    Cause.ScopeMissing,
                    account,
                    $"{service.Name} gave no token that lasts: the permission for access while nobody is there (often the scope "
                        + "offline_access) is missing"
                ),
                Verdict.Keep
            );
        return new Consent(refresh, response.Scope);
    }

    private static void RequireScopes(Service service, string account, Core.Planning.SignIn.OAuth signIn, HashSet<string> granted)
    {
        // offline_access is about the refresh token and is often left out of the answer.
        var missing = signIn.Client.Scopes.Where(s => !granted.Contains(s) && s != "offline_access").ToList();
        if (missing.Count > 0)
            throw new FaultException(
                new Fault(Cause.ScopeMissing, account, $"{service.Name} did not grant {string.Join(", ", missing)}"),
                Verdict.Keep
            );
    }

    private FaultException Refused(Service service, Uri address, string whom, ProtocolResponse response, string? description)
    {
        if (response.ErrorType is ResponseErrorType.Exception)
        {
            var (cause, why) = EntryFor(service, address).Tls.Explain(response.Exception, address)
                ?? (Cause.Unreachable, response.Exception?.Message ?? "no answer");
            return new FaultException(
                new Fault(cause, whom, $"the authorization server of {service.Name} cannot be reached: {why}"),
                Verdict.Keep,
                response.Exception
            );
        }
        if (response.ErrorType is ResponseErrorType.Http && (int)response.HttpStatusCode >= 500)
            return new FaultException(
                new Fault(Cause.ServiceBusy, whom, $"the authorization server of {service.Name} answered {(int)response.HttpStatusCode}"),
                Verdict.Keep
            );
        // RFC 6749 §5.2.
        var said = description is { Length: > 0 } words
            ? $"{response.Error}: {words}"
            : response.Error ?? $"{(int)response.HttpStatusCode}";
        var refusal = response.Error switch
        {
            "invalid_grant" or "access_denied" or "expired_token" or "consent_required" or "interaction_required" => Cause.ConsentMissing,
            "invalid_scope" or "insufficient_scope" => Cause.ScopeMissing,
            "temporarily_unavailable" or "slow_down" => Cause.ServiceBusy,
            _ => Cause.SignInRefused,
        };
        return new FaultException(
            new Fault(refusal, whom, $"the authorization server of {service.Name} gave no token ({said})", response.Error),
            Verdict.Keep
        );
    }

    private static string? ScopeOf(Core.Planning.SignIn.OAuth signIn) =>
        signIn.Client.Scopes.IsEmpty ? null : string.Join(' ', signIn.Client.Scopes);

    private string? Open(SecretReference? reference) => reference is null ? null : open(reference);

    /// <summary>
    /// An authorization server is often another company's, known to the machine, where the mail server has an authority of its own.
    /// </summary>
    private HttpClient ClientFor(Service service, Uri address) => EntryFor(service, address).Http;

    private (HttpClient Http, HttpTls Tls) EntryFor(Service service, Uri address) =>
        _clients.GetOrAdd((address.Host, AuthorityOf(service)), key =>
        {
            var tls = new HttpTls(key.Trust, key.Host, machineTrustServes: true);
            return (BoundedHttp.Make(tls, s_patience), tls);
        });

    /// <summary>
    /// What is sent there opens every mailbox of the client: 'none' is said of the service's own servers, and never of this one.
    /// </summary>
    private static Trust AuthorityOf(Service service) => service.Trust is Trust.Anyone ? new Trust.System() : service.Trust;
}
