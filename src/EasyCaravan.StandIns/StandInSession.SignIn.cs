using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>Who may sign in, with a password or with a token.</summary>
internal sealed partial class StandInSession
{
    /// <param name="acting">For whom an administrator acts (RFC 4616 §2); empty: for nobody else.</param>
    private string SignIn(string login, string password, string acting)
    {
        if (acting.Length > 0)
        {
            if (service.Manners.Administrator is not { } administrator || (login, password) != administrator)
                return "NO [AUTHENTICATIONFAILED] Wrong login or password";
            return service.Find(acting) is { } other ? Welcome(other) : "NO [AUTHORIZATIONFAILED] You may not act for this account";
        }
        if (service.Find(login) is not { } account || account.Password != password)
            return "NO [AUTHENTICATIONFAILED] Wrong login or password";
        return account.Door switch
        {
            StandInDoor.ProtocolOff => "NO [CONTACTADMIN] IMAP access is disabled for this account",
            StandInDoor.AppPasswordOnly => "NO [ALERT] Application-specific password required",
            StandInDoor.Locked => "NO [CONTACTADMIN] The account is locked after too many failed sign-ins",
            StandInDoor.Open => Welcome(account),
        };
    }

    private string Welcome(StandInAccount account)
    {
        _account = account;
        return $"OK [CAPABILITY {service.Manners.Capabilities}] welcome";
    }

    /// <summary>OAUTHBEARER (RFC 7628 §3.1) and XOAUTH2: both carry the login and "auth=Bearer TOKEN" between control characters.</summary>
    private async Task<string> SignInWithTokenAsync(string answer, CancellationToken cancel)
    {
        var parts = answer.Split('\x01');
        var token = parts.FirstOrDefault(p => p.StartsWith("auth=Bearer ", StringComparison.Ordinal))?["auth=Bearer ".Length..] ?? "";
        var first = parts[0];
        var login = first.StartsWith("user=", StringComparison.Ordinal)
            ? first[5..]
            : first[(first.IndexOf("a=", StringComparison.Ordinal) + 2)..].TrimEnd(',');
        var permits = service.Manners.Tokens?.Permits(token, login);
        if (permits?.Contains(service.Manners.Scope) == true)
        {
            if (service.Find(login) is not { } account)
                return "NO [AUTHORIZATIONFAILED] No such account";
            _token = token;
            return Welcome(account);
        }
        // RFC 7628 §3.2.2: the reason comes as a challenge, which the client answers with a dummy.
        var status = permits is null ? "invalid_token" : "insufficient_scope";
        await SayAsync(
            $"+ {Convert.ToBase64String(Encoding.UTF8.GetBytes($"{{\"status\":\"{status}\",\"scope\":\"{service.Manners.Scope}\"}}"))}",
            cancel
        );
        await _input.ReadLineAsync(cancel);
        return "NO [AUTHENTICATIONFAILED] The token is not taken";
    }
}
