using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>How to get in to one account, and where in it. The secret is in clear only here, between the store and the sign-in.</summary>
/// <param name="Secret">A password or a refresh token; empty where the service's own sign-in needs none of the account's.</param>
public sealed record Credentials(string Account, string Login, string Secret)
{
    /// <summary>Another root than the person's own folders, such as the namespace of an archive; null: their own.</summary>
    public string? Root { get; init; }

    /// <summary>Where what is written to it comes from; null: the account is only read.</summary>
    public Origin? Origin { get; init; }

    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{Account} as {Login}";
}

/// <summary>Told where the new side is a file, so that whoever finds it later knows what it holds.</summary>
/// <param name="Service">The from side, by its name in the plan.</param>
/// <param name="Rules">What is left out by which rule, in words.</param>
public sealed record Origin(string Service, System.Collections.Immutable.ImmutableArray<string> Rules)
{
    /// <summary>Who asked for it; null: nobody by name.</summary>
    public string? AskedBy { get; init; }
}

/// <summary>Opens sessions, within the limits of the services.</summary>
public interface IMailAccounts
{
    /// <summary>Connects and signs in, waiting for a free connection where the service allows no more.</summary>
    Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel);

    /// <summary>The same, but null at once when no connection is free: for a second lane that is welcome but not needed.</summary>
    Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel);
}
