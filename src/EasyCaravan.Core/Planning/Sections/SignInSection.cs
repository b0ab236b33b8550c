using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>sign-in:</c> of a service.</summary>
internal static class SignInSection
{
    public static SignIn Read(YamlMappingNode service, PlanErrors errors)
    {
        if (service.Section("sign-in") is not { } node)
            return new SignIn.Password(null);
        var with = node.Text("with") ?? "password";
        string[] known = with switch
        {
            "password" => ["with", "secret"],
            "on-behalf" => ["with", "admin", "secret", "login"],
            _ =>
            [
                "with",
                "grant",
                "token-url",
                "authorize-url",
                "device-url",
                "revoke-url",
                "client-id",
                "client-secret",
                "scopes",
                "key",
                "key-id",
                "issuer",
                "audience",
                "mechanism",
            ],
        };
        foreach (var key in node.Children.Keys.OfType<YamlScalarNode>().Where(k => !known.Contains(k.Value)))
            errors.Report(
                key,
                $"'{key.Value}' says nothing when accounts sign in with {with}",
                $"with {with}: {string.Join(", ", known[1..])}"
            );
        switch (with)
        {
            case "password":
                return new SignIn.Password(ReadSecret(node, "secret", errors));
            case "on-behalf":
                errors.Require(node, "sign-in on behalf", "admin", "secret");
                return new SignIn.OnBehalf(
                    node.Text("admin") ?? "",
                    ReadSecret(node, "secret", errors) ?? new SecretReference.File("missing"),
                    node.Text("login")
                );
            default:
                return ReadOAuth(node, errors);
        }
    }

    private static SignIn.OAuth ReadOAuth(YamlMappingNode node, PlanErrors errors)
    {
        errors.Require(node, "sign-in with oauth", "grant", "token-url", "client-id");
        var grant = node.Text("grant") switch
        {
            "client-credentials" => OAuthGrant.ClientCredentials,
            "jwt-bearer" => OAuthGrant.JwtBearer,
            "device-code" => OAuthGrant.DeviceCode,
            "authorization-code" => OAuthGrant.AuthorizationCode,
            _ => OAuthGrant.RefreshToken,
        };
        string[] needed = grant switch
        {
            OAuthGrant.ClientCredentials => ["client-secret"],
            OAuthGrant.JwtBearer => ["key"],
            OAuthGrant.DeviceCode => ["device-url"],
            OAuthGrant.AuthorizationCode => ["authorize-url"],
            OAuthGrant.RefreshToken => [],
        };
        errors.Require(node, $"the grant {node.Text("grant")}", needed);
        Uri? Url(string key) => ReadUrl(node, key, errors);
        var scopes = node.Texts("scopes");
        var client = new OAuthClient(
            Url("token-url") ?? new Uri("https://invalid.example/"),
            Url("authorize-url"),
            Url("device-url"),
            node.Text("client-id") ?? "",
            ReadSecret(node, "client-secret", errors),
            scopes,
            ReadSecret(node, "key", errors),
            node.Text("key-id"),
            node.Text("issuer"),
            node.Text("audience")
        )
        {
            RevokeUrl = Url("revoke-url"),
        };
        return new SignIn.OAuth(
            grant,
            client,
            node.Text("mechanism") switch
            {
                "oauthbearer" => BearerMechanism.OAuthBearer,
                "xoauth2" => BearerMechanism.XOAuth2,
                _ => null,
            }
        );
    }

    /// <summary>To which secrets go, so that it has to be protected.</summary>
    public static Uri? ReadUrl(YamlMappingNode node, string key, PlanErrors errors)
    {
        if (node.Text(key) is not { } text)
            return null;
        if (!Uri.TryCreate(text, UriKind.Absolute, out var url))
            errors.Report(node[key], $"'{text}' is not a URL", "a URL such as https://login.lanternpost.example/token");
        // Tokens are as good as passwords (RFC 6749 §1.6).
        else if (url.Scheme != "https" && !url.IsLoopback)
            errors.Report(node[key], $"'{text}' is not protected", "a URL that begins with https://");
        return url;
    }

    public static SecretReference? ReadSecret(YamlMappingNode node, string key, PlanErrors errors)
    {
        if (node.Section(key) is not { } secret)
            return null;
        if (secret.Children.Count == 1)
            return secret.Text("env") is { } variable
                ? new SecretReference.Environment(variable)
                : new SecretReference.File(secret.Text("file")!);
        errors.Report(secret, $"'{key}' names two places", "{env: CARAVAN_SECRET_NAME} or {file: NAME}");
        return null;
    }
}
