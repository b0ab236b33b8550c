using System.Net.Sockets;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>One connection to a stand-in: the commands of IMAP4rev1 and the extensions that its manners offer.</summary>
internal sealed partial class StandInSession(StandInImap service, TcpClient client)
{
    private readonly NetworkStream _stream = client.GetStream();
    private readonly StandInInput _input = new(client.GetStream());
    private StandInAccount? _account;
    private string? _token;
    private StandInFolder? _folder;

    public async Task RunAsync(CancellationToken cancel)
    {
        using var owned = client;
        client.NoDelay = true;
        try
        {
            // This one is not counted yet.
            if (service.Sessions >= service.Manners.MostConnections)
            {
                await SayAsync("* BYE [LIMIT] Too many connections, come back later", cancel);
                return;
            }
            if (service.Manners.Closed is { } closed)
            {
                await SayAsync($"* BYE {closed}", cancel);
                return;
            }
            await SayAsync($"* OK [CAPABILITY {service.Manners.Capabilities}] stand-in ready", cancel);
            while (await _input.ReadWordsAsync(SayAsync, cancel) is { } words)
            {
                if (words.Count < 2)
                {
                    await SayAsync("* BAD what is that", cancel);
                    continue;
                }
                var (tag, verb) = (words[0], words[1].ToUpperInvariant());
                service.Commands.AddOrUpdate(verb, 1, (_, n) => n + 1);
                if (verb == "LOGOUT")
                {
                    await SayAsync($"* BYE goodbye\r\n{tag} OK done", cancel);
                    return;
                }
                await SayAsync($"{tag} {await AnswerAsync(tag, verb, words, cancel)}", cancel);
            }
        }
        catch (Exception e) when (e is IOException or SocketException or OperationCanceledException or FormatException)
        {
            // The client left, the stand-in is being stopped, or a fault on demand: the connection ends here.
        }
    }

    private async Task<string> AnswerAsync(string tag, string verb, List<string> words, CancellationToken cancel)
    {
        switch (verb)
        {
            case "CAPABILITY":
                await SayAsync($"* CAPABILITY {service.Manners.Capabilities}", cancel);
                return "OK done";
            case "NOOP" or "ID" or "ENABLE" or "CHECK":
                return "OK done";
            case "LOGIN":
                return service.Manners.Tokens is null
                    ? SignIn(words[2], words[3], "")
                    : "NO [AUTHENTICATIONFAILED] Passwords are not taken here";
            case "AUTHENTICATE":
                await SayAsync("+ ", cancel);
                var answer = Encoding.UTF8.GetString(Convert.FromBase64String(await _input.ReadLineAsync(cancel)));
                if (!words[2].Equals("PLAIN", StringComparison.OrdinalIgnoreCase))
                    return await SignInWithTokenAsync(answer, cancel);
                return answer.Split('\0') is [var acting, var login, var password]
                    ? SignIn(login, password, acting)
                    : "BAD not an answer to PLAIN";
        }
        if (_account is null)
            return "BAD sign in first";
        if (service.Manners.EndsWithToken && _token is not null && service.Manners.Tokens!.Permits(_token, _account.Login) is null)
        {
            await SayAsync("* BYE Session expired, sign in again", cancel);
            throw new IOException("ended with its token");
        }
        string lines;
        switch (verb)
        {
            case "NAMESPACE":
                await SayAsync($"* NAMESPACE ((\"\" {Separator})) NIL NIL", cancel);
                return "OK done";
            case "GETQUOTAROOT":
                lock (_account.Lock)
                    lines = _account.Quota is { } quota
                        ? $"* QUOTAROOT {words[2]} \"\"\r\n* QUOTA \"\" (STORAGE {_account.Used / 1024} {quota / 1024})"
                        : $"* QUOTAROOT {words[2]}";
                await SayAsync(lines, cancel);
                return "OK done";
            case "DELETE":
                lock (_account.Lock)
                    return _account.Remove(words[2]) ? "OK done" : "NO [NONEXISTENT] no such folder";
            case "LIST" or "LSUB":
                return await ListAsync(verb, words, cancel);
            case "STATUS":
                if (_account.Find(words[2]) is not { } asked)
                    return "NO [NONEXISTENT] no such folder";
                await SayAsync(Status(asked), cancel);
                return "OK done";
            case "CREATE":
                return Create(words);
            case "SUBSCRIBE":
                if (_account.Find(words[2]) is { } subscribed)
                    subscribed.Subscribed = true;
                return "OK done";
            case "UNSUBSCRIBE":
                if (_account.Find(words[2]) is { } hidden)
                    hidden.Subscribed = false;
                return "OK done";
            case "SELECT" or "EXAMINE":
                return await SelectAsync(verb, words[2], cancel);
            case "APPEND":
                return await AppendAsync(tag, words, cancel);
            case "UID":
                return _folder is null ? "BAD select first" : await UidAsync(words, cancel);
            default:
                return "BAD unknown command";
        }
    }

    private Task SayAsync(string line, CancellationToken cancel) => WriteAsync(line + "\r\n", cancel);

    private async Task WriteAsync(string text, CancellationToken cancel) =>
        await _stream.WriteAsync(Encoding.Latin1.GetBytes(text), cancel);
}
