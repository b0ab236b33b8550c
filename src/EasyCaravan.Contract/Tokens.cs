namespace EasyCaravan.Contract;

/// <summary>An access token as it is listed; the token itself is shown once, when it is made.</summary>
/// <param name="Name">By which the journal names who did something.</param>
/// <param name="CreatedAt">When it was made.</param>
/// <param name="CreatedBy">The token with which it was made; null: the service made it.</param>
/// <param name="EndsAt">From when on it is good for nothing; null: it has no end.</param>
/// <param name="UsedAt">When it was last used, to the minute; null: never.</param>
/// <param name="RevokedAt">When it was revoked; null: it was not.</param>
/// <param name="IsGood">It lets its holder in.</param>
/// <param name="IsYours">This call was made with it.</param>
/// <param name="Sessions">Browsers that are signed in with it.</param>
public sealed record TokenView(
    string Name,
    DateTimeOffset CreatedAt,
    string? CreatedBy,
    DateTimeOffset? EndsAt,
    DateTimeOffset? UsedAt,
    DateTimeOffset? RevokedAt,
    bool IsGood,
    bool IsYours,
    int Sessions
);

/// <summary>Asks for a token.</summary>
/// <param name="Name">1 to 60 letters, digits, dots, hyphens and underscores; no other token that is good has it.</param>
/// <param name="Days">After how many days it ends, 1 to 3650; null: it has no end.</param>
public sealed record TokenRequest(string Name, int? Days = null);

/// <summary>A token that was made. It is shown this once: nobody can ask for it again.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Token">To be sent as <c>Authorization: Bearer …</c>, or to sign in to the console.</param>
/// <param name="EndsAt">From when on it is good for nothing; null: it has no end.</param>
public sealed record TokenMade(string Name, string Token, DateTimeOffset? EndsAt)
{
    /// <summary>Without the token, so that it does not come into a log by mistake.</summary>
    public override string ToString() => $"{nameof(TokenMade)} {Name}";
}
