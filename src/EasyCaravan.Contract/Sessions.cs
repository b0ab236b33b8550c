namespace EasyCaravan.Contract;

/// <summary>Signs the console in.</summary>
/// <param name="Token">A token of the service.</param>
public sealed record SessionRequest(string Token)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => nameof(SessionRequest);
}

/// <summary>Who is signed in.</summary>
/// <param name="Antiforgery">To be sent as X-Caravan-Antiforgery with every write.</param>
/// <param name="Name">The token's name.</param>
/// <param name="Version">The service's version.</param>
public sealed record SessionView(string Name, string Antiforgery, string Version)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(SessionView)} {Name}";
}
