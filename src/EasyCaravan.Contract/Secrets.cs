using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>One side of a move.</summary>
[JsonConverter(typeof(KebabWord<SideWord>))]
public enum SideWord
{
    From,
    To,
}

/// <summary>A login or secret for one account. At least one of both is given.</summary>
/// <param name="Who">A from account, to account or name of the batch.</param>
/// <param name="Secret">The password, app password or refresh token; null: it stays. Never shown again.</param>
/// <param name="Login">What is signed in with; null: it stays.</param>
public sealed record SecretGiven(string Who, string? Secret, string? Login = null)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(SecretGiven)} {Who}";
}

/// <summary>New logins and secrets for accounts of a batch: all of them, or none where one cannot be understood.</summary>
/// <param name="Side">Whose accounts they are.</param>
/// <param name="Secrets">One for each account, at most 10,000.</param>
public sealed record SecretsRequest(SideWord Side, IReadOnlyList<SecretGiven> Secrets);

/// <summary>What came of new secrets.</summary>
/// <param name="Set">How many were set.</param>
/// <param name="GoesOn">From accounts of moves that were stopped for want of them and go on by themselves now.</param>
public sealed record SecretsSet(int Set, IReadOnlyList<string> GoesOn);
