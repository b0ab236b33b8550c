using System.Globalization;
using System.Net.Sockets;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>One connection to a stand-in: the commands of IMAP4rev1 and the extensions that its manners offer.</summary>
internal sealed class StandInSession(StandInImap service, TcpClient client)
{
    private const string DateForm = "dd-MMM-yyyy HH:mm:ss zzz";

    private static readonly string[] s_identityFields = ["MESSAGE-ID:", "DATE:", "FROM:", "SUBJECT:"];

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

    private string Separator => service.Manners.Separator is { } separator ? $"\"{separator}\"" : "NIL";

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

    private async Task<string> ListAsync(string verb, List<string> words, CancellationToken cancel)
    {
        var pattern = words.Count > 3 ? words[3] : "";
        var options = string.Join(' ', words.Skip(4)).ToUpperInvariant();
        if (pattern.Length == 0)
        {
            await SayAsync($"* {verb} (\\Noselect) {Separator} \"\"", cancel);
            return "OK done";
        }
        var lines = new StringBuilder();
        lock (_account!.Lock)
        {
            foreach (
                var folder in _account.Folders.Where(f =>
                    (pattern == "*" || pattern == "%" || pattern.Equals(f.Name, StringComparison.OrdinalIgnoreCase))
                    && (verb == "LIST" || f.Subscribed)
                )
            )
            {
                var flags = new List<string>();
                if (folder.Use is { } use && (options.Contains("SPECIAL-USE", StringComparison.Ordinal) || options.Length == 0))
                    flags.Add(use);
                if (folder.Subscribed && options.Contains("SUBSCRIBED", StringComparison.Ordinal))
                    flags.Add("\\Subscribed");
                lines.Append(CultureInfo.InvariantCulture, $"* {verb} ({string.Join(' ', flags)}) {Separator} {Quote(folder.Name)}\r\n");
                if (options.Contains("STATUS", StringComparison.Ordinal))
                    lines.Append(Status(folder)).Append("\r\n");
            }
        }
        await WriteAsync(lines.ToString(), cancel);
        return "OK done";
    }

    private string Create(List<string> words)
    {
        lock (_account!.Lock)
        {
            if (_account.Find(words[2]) is not null)
                return "NO [ALREADYEXISTS] it is there";
            var names = service.Manners.Separator is { } separator ? words[2].TrimEnd(separator).Split(separator) : [words[2]];
            if (names.Any(n => service.Manners.Reserved.Contains(n)))
                return "NO [CANNOT] This name is reserved";
            if (names.Any(n => n.AsSpan().IndexOfAny(service.Manners.Illegal) >= 0))
                return "NO [CANNOT] A character of this name is not allowed";
            if (names.Any(n => n.Length > service.Manners.LongestName))
                return "NO [CANNOT] The name is too long";
            if (names.Length > service.Manners.Deepest)
                return "NO [CANNOT] Folders are nested too deep";
            var use = words.Skip(3).FirstOrDefault(w => w.TrimStart('(').StartsWith('\\'));
            _account.Make(string.Join(service.Manners.Separator ?? '/', names), use?.Trim('(', ')'));
            return "OK done";
        }
    }

    private async Task<string> SelectAsync(string verb, string name, CancellationToken cancel)
    {
        string lines;
        lock (_account!.Lock)
        {
            _folder = _account.Find(name);
            if (_folder is null)
                return "NO [NONEXISTENT] no such folder";
            lines =
                $"* {_folder.Messages.Count} EXISTS\r\n* 0 RECENT\r\n* FLAGS (\\Seen \\Answered \\Flagged \\Deleted \\Draft)\r\n"
                + "* OK [PERMANENTFLAGS (\\Seen \\Answered \\Flagged \\Deleted \\"
                + $"Draft{(service.Manners.DropsKeywords ? "" : " \\*")})] flags\r\n"
                + $"* OK [UIDVALIDITY {_folder.Epoch}] valid\r\n* OK [UIDNEXT {_folder.Next}] next";
            if (service.Manners.Offers("CONDSTORE"))
                lines += $"\r\n* OK [HIGHESTMODSEQ {_folder.Mark}] mark";
        }
        await SayAsync(lines, cancel);
        return verb == "EXAMINE" ? "OK [READ-ONLY] done" : "OK [READ-WRITE] done";
    }

    private async Task<string> AppendAsync(string tag, List<string> words, CancellationToken cancel)
    {
        var target = _account!.Find(words[2]);
        var taken = new List<(string[] Flags, DateTimeOffset Date, byte[] Octets)>();
        var tooLarge = false;
        // The words of one message: (flags) "date" literal; with MULTIAPPEND as many as the client sends.
        for (var i = 3; i < words.Count; )
        {
            var flags = new List<string>();
            if (words[i].StartsWith('('))
            {
                while (true)
                {
                    var word = words[i++];
                    flags.AddRange(word.Trim('(', ')') is { Length: > 0 } flag ? [flag] : Array.Empty<string>());
                    if (word.EndsWith(')'))
                        break;
                }
            }
            var date = DateTimeOffset.UtcNow;
            if (
                i < words.Count - 1
                && DateTimeOffset.TryParseExact(
                    words[i].Insert(Math.Max(0, words[i].Length - 2), ":"),
                    DateForm,
                    CultureInfo.InvariantCulture,
                    DateTimeStyles.None,
                    out var given
                )
            )
            {
                date = given;
                i++;
            }
            var octets = Encoding.Latin1.GetBytes(words[i++]);
            tooLarge |= octets.Length > service.Manners.LargestMessage;
            taken.Add(([.. flags], date, octets));
        }
        if (taken.Count > 1 && !service.Manners.Offers("MULTIAPPEND"))
            return "BAD one message at a time";
        if (target is null)
            return "NO [TRYCREATE] no such folder";
        lock (_account.Lock)
            if (_account.Used + taken.Sum(t => (long)t.Octets.Length) > _account.Quota)
                return "NO [OVERQUOTA] The account is full";
        if (tooLarge)
            return "NO [TOOBIG] Message too large";
        foreach (var _ in taken)
            await PaceAsync(cancel);
        var uids = new List<uint>();
        lock (_account.Lock)
        {
            foreach (var (flags, date, octets) in taken)
                uids.Add(target.Add(octets, service.Manners.DropsKeywords ? [.. flags.Where(f => f.StartsWith('\\'))] : flags, date).Uid);
        }
        return service.Manners.Offers("UIDPLUS") ? $"OK [APPENDUID {target.Epoch} {string.Join(',', uids)}] done" : "OK done";
    }

    private async Task<string> UidAsync(List<string> words, CancellationToken cancel)
    {
        var rest = string.Join(' ', words.Skip(3));
        switch (words[2].ToUpperInvariant())
        {
            case "SEARCH":
                List<uint> all;
                lock (_account!.Lock)
                    all = [.. _folder!.Messages.Select(m => m.Uid)];
                var compact = rest.StartsWith("RETURN", StringComparison.OrdinalIgnoreCase);
                await SayAsync(
                    compact
                        ? $"* ESEARCH (TAG \"{words[0]}\") UID{(all.Count > 0 ? $" ALL {string.Join(',', all)}" : "")}"
                        : $"* SEARCH {string.Join(' ', all)}",
                    cancel
                );
                return "OK done";
            case "FETCH":
                await FetchAsync(words[3], string.Join(' ', words.Skip(4)), cancel);
                return "OK done";
            case "STORE":
                Store(words);
                return "OK done";
            case "COPY":
                return Copy(words);
            case "EXPUNGE" when service.Manners.Offers("UIDPLUS"):
                await ExpungeAsync(ReadSet(words[3]), cancel);
                return "OK done";
            default:
                return "BAD unknown command";
        }
    }

    private string Copy(List<string> words)
    {
        var wanted = ReadSet(words[3]);
        lock (_account!.Lock)
        {
            if (_account.Find(words[4]) is not { } target)
                return "NO [TRYCREATE] no such folder";
            var chosen = _folder!.Messages.Where(m => wanted.Exists(r => m.Uid >= r.First && m.Uid <= r.Last)).ToList();
            if (_account.Used + chosen.Sum(m => (long)m.Octets.Length) > _account.Quota)
                return "NO [OVERQUOTA] The account is full";
            var copies = chosen.ConvertAll(m => target.Add(m.Octets, m.Flags, m.Received));
            return service.Manners.Offers("UIDPLUS") && copies.Count > 0
                ? $"OK [COPYUID {target.Epoch} {string.Join(',', chosen.Select(m => m.Uid))} "
                    + $"{string.Join(',', copies.Select(m => m.Uid))}] done"
                : "OK done";
        }
    }

    /// <summary>RFC 4315 §2.1: of the messages that are marked as deleted, those that the client names.</summary>
    private async Task ExpungeAsync(List<(uint First, uint Last)> named, CancellationToken cancel)
    {
        var lines = new StringBuilder();
        lock (_account!.Lock)
        {
            for (var place = _folder!.Messages.Count; place > 0; place--)
            {
                var message = _folder.Messages[place - 1];
                if (
                    message.Flags.Contains("\\Deleted", StringComparer.OrdinalIgnoreCase)
                    && named.Exists(r => message.Uid >= r.First && message.Uid <= r.Last)
                )
                {
                    _folder.Remove(message);
                    lines.Append(CultureInfo.InvariantCulture, $"* {place} EXPUNGE\r\n");
                }
            }
        }
        await WriteAsync(lines.ToString(), cancel);
    }

    private async Task FetchAsync(string set, string items, CancellationToken cancel)
    {
        var wanted = ReadSet(set);
        ulong since = 0;
        if (items.IndexOf("(CHANGEDSINCE ", StringComparison.OrdinalIgnoreCase) is var at and >= 0)
            since = ulong.Parse(items[(at + 14)..].TrimEnd(')'), CultureInfo.InvariantCulture);
        List<(int Place, StandInMessage Message)> messages;
        lock (_account!.Lock)
            messages =
            [
                .. _folder!
                    .Messages.Select((m, i) => (i + 1, m))
                    .Where(m => m.m.Mark > since && wanted.Exists(r => m.m.Uid >= r.First && m.m.Uid <= r.Last)),
            ];
        foreach (var (place, message) in messages)
        {
            var line = new StringBuilder($"* {place} FETCH (UID {message.Uid}");
            if (items.Contains("RFC822.SIZE", StringComparison.OrdinalIgnoreCase))
                line.Append(CultureInfo.InvariantCulture, $" RFC822.SIZE {message.Octets.Length}");
            if (items.Contains("INTERNALDATE", StringComparison.OrdinalIgnoreCase))
                line.Append(
                    CultureInfo.InvariantCulture,
                    $" INTERNALDATE \"{message.Received.ToString("dd-MMM-yyyy HH:mm:ss ", CultureInfo.InvariantCulture)}"
                        + $"{message.Received.ToString("zzz", CultureInfo.InvariantCulture).Replace(":", "", StringComparison.Ordinal)}\""
                );
            if (items.Contains("FLAGS", StringComparison.OrdinalIgnoreCase))
                line.Append(CultureInfo.InvariantCulture, $" FLAGS ({string.Join(' ', message.Flags)})");
            if (since > 0)
                line.Append(CultureInfo.InvariantCulture, $" MODSEQ ({message.Mark})");
            if (items.Contains("HEADER.FIELDS", StringComparison.OrdinalIgnoreCase))
            {
                var header = HeaderFields(message.Octets);
                await WriteAsync($"{line} BODY[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)] {{{header.Length}}}\r\n{header})\r\n", cancel);
            }
            else if (items.Contains("BODY.PEEK[]", StringComparison.OrdinalIgnoreCase))
            {
                await PaceAsync(cancel);
                await WriteAsync(
                    $"{line} BODY[] {{{message.Octets.Length - (service.Manners.TellsShort(message.Octets) ? 9 : 0)}}}\r\n",
                    cancel
                );
                await _stream.WriteAsync(message.Octets, cancel);
                await WriteAsync(")\r\n", cancel);
            }
            else
            {
                await WriteAsync($"{line})\r\n", cancel);
            }
        }
    }

    private void Store(List<string> words)
    {
        var wanted = ReadSet(words[3]);
        var flags = string.Join(' ', words.Skip(5)).Trim('(', ')').Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (service.Manners.DropsKeywords)
            flags = [.. flags.Where(f => f.StartsWith('\\'))];
        lock (_account!.Lock)
        {
            foreach (var message in _folder!.Messages.Where(m => wanted.Exists(r => m.Uid >= r.First && m.Uid <= r.Last)))
                _folder.SetFlags(
                    message,
                    words[4].StartsWith('+')
                        ? [.. message.Flags.Union(flags, StringComparer.OrdinalIgnoreCase)]
                        : [.. message.Flags.Except(flags, StringComparer.OrdinalIgnoreCase)]
                );
        }
    }

    /// <summary>Takes the time that the manners ask for, and drops the connection when the account's fault says so.</summary>
    private async Task PaceAsync(CancellationToken cancel)
    {
        if (service.Manners.PausePerMessage > TimeSpan.Zero)
            await Task.Delay(service.Manners.PausePerMessage, cancel);
        if (_account!.DropAfter is not { } left)
            return;
        _account.DropAfter = left > 1 ? left - 1 : null;
        if (left > 1)
            return;
        client.Client.Close(0);
        throw new IOException("dropped on demand");
    }

    private string Status(StandInFolder folder)
    {
        var mark = service.Manners.Offers("CONDSTORE") ? $" HIGHESTMODSEQ {folder.Mark}" : "";
        return $"* STATUS {Quote(folder.Name)} (MESSAGES {folder.Messages.Count} UIDNEXT {folder.Next} UIDVALIDITY {folder.Epoch}{mark})";
    }

    private static string HeaderFields(byte[] octets)
    {
        var text = Encoding.Latin1.GetString(octets);
        var end = text.IndexOf("\r\n\r\n", StringComparison.Ordinal);
        var fields = new StringBuilder();
        var keep = false;
        foreach (var line in text[..(end < 0 ? text.Length : end)].Split("\r\n"))
        {
            if (line.Length > 0 && line[0] is not ' ' and not '\t')
                keep = s_identityFields.Any(f => line.StartsWith(f, StringComparison.OrdinalIgnoreCase));
            if (keep)
                fields.Append(line).Append("\r\n");
        }
        return fields.Append("\r\n").ToString();
    }

    private static List<(uint First, uint Last)> ReadSet(string set) =>
        [.. set.Split(',').Select(r => r.Split(':')).Select(r => (Number(r[0]), Number(r[^1])))];

    private static uint Number(string text) => text == "*" ? uint.MaxValue : uint.Parse(text, CultureInfo.InvariantCulture);

    private static string Quote(string name) =>
        $"\"{name.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";

    private Task SayAsync(string line, CancellationToken cancel) => WriteAsync(line + "\r\n", cancel);

    private async Task WriteAsync(string text, CancellationToken cancel) =>
        await _stream.WriteAsync(Encoding.Latin1.GetBytes(text), cancel);
}
