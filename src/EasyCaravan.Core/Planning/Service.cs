namespace EasyCaravan.Core.Planning;

/// <summary>A mail system that can be reached, with its connections, its way to sign in and its limits.</summary>
public sealed record Service(string Name, MailConnection Mail, SignInKind SignIn, Trust Trust, Limits Limits);

/// <summary>How the mail of a service is spoken to.</summary>
public sealed record MailConnection(MailProtocol Speaks, string Host, int Port, Security Security);

public enum MailProtocol
{
    Imap,
}

/// <summary>How a connection is kept from others' eyes (RFC 8314 for the first two).</summary>
public enum Security
{
    /// <summary>TLS from the first octet.</summary>
    Tls,

    /// <summary>Plain at first, then upgraded before anyone signs in; refused when the server does not offer it.</summary>
    StartTls,

    /// <summary>Not protected at all. Every page that shows the service says so.</summary>
    None,
}

public enum SignInKind
{
    Password,
}

/// <summary>Whose word is taken for a server's certificate.</summary>
public abstract record Trust
{
    private Trust() { }

    /// <summary>The certificate authorities of the machine.</summary>
    public sealed record System : Trust;

    /// <summary>These authorities alone, as PEM text.</summary>
    public sealed record Authorities(string Pem, string File) : Trust;

    /// <summary>Anyone's. Said aloud wherever the service is shown.</summary>
    public sealed record Anyone : Trust;
}

/// <summary>What a service bears. Null means that nobody set a limit.</summary>
/// <param name="Connections">Open at the same time over all accounts.</param>
/// <param name="PerAccount">Open at the same time to one account.</param>
/// <param name="LargestMessage">In octets; messages above it are left behind without being sent.</param>
public sealed record Limits(int Connections, int PerAccount, long? LargestMessage)
{
    public static Limits Default { get; } = new(Connections: 20, PerAccount: 4, LargestMessage: null);
}
