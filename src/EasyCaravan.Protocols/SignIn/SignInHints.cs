using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.SignIn;

/// <summary>The likeliest cause of a refused sign-in.</summary>
/// <remarks>
/// A code (RFC 5530) decides where the server gives one that says more than "failed". Otherwise its words are looked at. That is a guess,
/// and harmless: every cause it can give is a person's turn alike, so only the remedy hangs on it.
/// </remarks>
internal static class SignInHints
{
    private static readonly (string[] Words, Cause Cause)[] s_words =
    [
        (["application-specific", "app-specific", "app password", "application password", "app specific"], Cause.AppPasswordNeeded),
        (
            [
                "imap access",
                "imap is disabled",
                "imap disabled",
                "protocol is disabled",
                "protocol disabled",
                "not enabled for",
                "imap is not enabled",
                "access is disabled",
                "switched off",
            ],
            Cause.ProtocolOff
        ),
        (["locked", "suspended", "blocked", "too many failed", "too many login failures"], Cause.AccountLocked),
        (
            ["no such user", "unknown user", "user unknown", "does not exist", "no such account", "no such mailbox", "user not found"],
            Cause.AccountNotFound
        ),
        (
            ["full email", "full address", "complete address", "username format", "without the domain", "without domain"],
            Cause.LoginFormWrong
        ),
    ];

    public static Cause CauseOf(ImapResult result, Core.Planning.SignIn signIn)
    {
        switch (result.CodeName)
        {
            // Too many connections or attempts: a temporary fault.
            case "LIMIT" or "UNAVAILABLE" or "INUSE" or "SERVERBUG":
                return Cause.ServiceBusy;
            case "AUTHORIZATIONFAILED":
                return signIn is Core.Planning.SignIn.OnBehalf ? Cause.NotOnBehalf : Cause.AccountNotFound;
            case "NONEXISTENT":
                return Cause.AccountNotFound;
            case "PRIVACYREQUIRED":
                return Cause.TlsNotOffered;
        }
        return CauseOfWords(result.Text)
            ?? result.CodeName switch
            {
                "CONTACTADMIN" => Cause.AccountLocked,
                "NOPERM" => Cause.ProtocolOff,
                _ => Cause.SignInRefused,
            };
    }

    /// <summary>Null where the words say nothing that is known.</summary>
    public static Cause? CauseOfWords(string said)
    {
        foreach (var (words, cause) in s_words)
            if (words.Any(w => said.Contains(w, StringComparison.OrdinalIgnoreCase)))
                return cause;
        return null;
    }
}
