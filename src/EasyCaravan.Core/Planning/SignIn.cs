using System.Collections.Immutable;

namespace EasyCaravan.Core.Planning;

/// <summary>How the service signs in to accounts.</summary>
public abstract record SignIn
{
    private SignIn() { }

    /// <summary>Each account with its own password, or all with one that the plan refers to.</summary>
    /// <param name="Shared">For people whose roster line names no secret; or null.</param>
    public sealed record Password(SecretReference? Shared) : SignIn;

    /// <summary>An administrator acts for each account.</summary>
    /// <param name="LoginPattern">
    /// Such as <c>{account}*{admin}</c>, for services that want both in the login; null: SASL PLAIN with an authorization identity (RFC
    /// 4616 §2).
    /// </param>
    public sealed record OnBehalf(string Admin, SecretReference Secret, string? LoginPattern) : SignIn
    {
        /// <summary>The login with which the sign-in to the account is made.</summary>
        public string LoginFor(string account) =>
            LoginPattern?.Replace("{account}", account, StringComparison.Ordinal).Replace("{admin}", Admin, StringComparison.Ordinal)
            ?? Admin;
    }

    /// <summary>An access token of an authorization server (RFC 6749).</summary>
    /// <param name="Bearer">How it is handed to the mail server; null: the best that it offers.</param>
    public sealed record OAuth(OAuthGrant Grant, OAuthClient Client, BearerMechanism? Bearer) : SignIn;
}

/// <summary>A client of an authorization server, as registered there.</summary>
/// <param name="AuthorizeUrl">Where people consent (authorization code); or null.</param>
/// <param name="DeviceUrl">Where a device asks for its code (RFC 8628 §3.1); or null.</param>
/// <param name="Key">A private key in PEM form, for <see cref="OAuthGrant.JwtBearer"/>.</param>
/// <param name="Issuer">Who vouches in an assertion (RFC 7523 §3); by default the client's id.</param>
/// <param name="Audience">For whom the assertion is; by default the token URL.</param>
public sealed record OAuthClient(
    Uri TokenUrl,
    Uri? AuthorizeUrl,
    Uri? DeviceUrl,
    string ClientId,
    SecretReference? ClientSecret,
    ImmutableArray<string> Scopes,
    SecretReference? Key,
    string? KeyId,
    string? Issuer,
    string? Audience
)
{
    /// <summary>Where tokens are given up (RFC 7009); null: the server does not tell.</summary>
    public Uri? RevokeUrl { get; init; }
}

/// <summary>How an access token is come by.</summary>
public enum OAuthGrant
{
    /// <summary>The roster's secret is a refresh token (RFC 6749 §6).</summary>
    RefreshToken,

    /// <summary>The client by itself has the right to every account (RFC 6749 §4.4).</summary>
    ClientCredentials,

    /// <summary>A signed assertion that names the account (RFC 7523 §2.1).</summary>
    JwtBearer,

    /// <summary>A person types a code on another device, once for each account (RFC 8628).</summary>
    DeviceCode,

    /// <summary>A person consents in the browser, once for each account (RFC 6749 §4.1 with PKCE, RFC 7636).</summary>
    AuthorizationCode,
}

/// <summary>How an access token is shown to a mail server.</summary>
public enum BearerMechanism
{
    /// <summary>RFC 7628.</summary>
    OAuthBearer,

    /// <summary>Its forerunner, which many services speak still.</summary>
    XOAuth2,
}

/// <summary>Where a secret is kept, outside of the plan.</summary>
public abstract record SecretReference
{
    private SecretReference() { }

    /// <summary>In the service's environment. Only names that begin with <see cref="EnvironmentPrefix"/> are read.</summary>
    public sealed record Environment(string Name) : SecretReference
    {
        public override string ToString() => $"env:{Name}";
    }

    /// <summary>In a file below the folder <c>secrets</c> of the service's data folder.</summary>
    public sealed record File(string Name) : SecretReference
    {
        public override string ToString() => $"file:{Name}";
    }

    /// <summary>What the environment's other variables hold is nobody's to send to a mail server.</summary>
    public const string EnvironmentPrefix = "CARAVAN_SECRET_";

    /// <summary>Reads <c>env:NAME</c> or <c>file:NAME</c>; null when it is neither, or names what may not be read.</summary>
    public static SecretReference? Parse(string text)
    {
        if (
            text.StartsWith("env:", StringComparison.Ordinal)
            && text[4..] is { } variable
            && variable.StartsWith(EnvironmentPrefix, StringComparison.Ordinal)
        )
            return new Environment(variable);
        if (
            text.StartsWith("file:", StringComparison.Ordinal)
            && text[5..] is { Length: > 0 } file
            && Path.GetFileName(file) == file
            && file is not "." and not ".."
        )
            return new File(file);
        return null;
    }
}
