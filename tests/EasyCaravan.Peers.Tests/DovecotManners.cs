namespace EasyCaravan.Peers;

/// <summary>What a Dovecot offers beyond mail.</summary>
/// <param name="Sieve">Rules over ManageSieve.</param>
/// <param name="Rights">Access control lists, in files beside the mail.</param>
/// <param name="Quota">Storage for each account, such as <c>10M</c>, unless the account has its own; null for none.</param>
/// <param name="Pop3">The inbox over POP3 too.</param>
/// <param name="Archive">Accounts have a second root for their archive.</param>
/// <param name="Administrator">May act for every account; or null.</param>
public sealed record DovecotManners(
    bool Sieve = false,
    bool Rights = false,
    string? Quota = null,
    (string Login, string Password)? Administrator = null,
    bool Archive = false,
    bool Pop3 = false
)
{
    /// <summary>Capabilities that it does not tell of, such as <c>MULTIAPPEND</c>.</summary>
    public IReadOnlyCollection<string> Without { get; init; } = [];

    /// <summary>An extension of Sieve that its rules do not know, such as <c>copy</c>; null: they know them all.</summary>
    public string? RulesWithout { get; init; }

    /// <summary>
    /// How mail is kept: <c>maildir</c> writes each message by itself, <c>mdbox</c> many to a file, with an index that it cannot do
    /// without.
    /// </summary>
    public string Storage { get; init; } = "sdbox";

    /// <summary>The port of the mail server by which rules send on; it takes mail over LMTP then. Null: no mail comes or goes.</summary>
    public int? Relay { get; init; }

    /// <summary>Where it asks whether a bearer token is good (RFC 7662); null: it takes passwords alone.</summary>
    public Uri? Introspection { get; init; }
}
