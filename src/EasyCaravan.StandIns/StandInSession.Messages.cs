using System.Globalization;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>Commands about messages.</summary>
internal sealed partial class StandInSession
{
    private const string DateForm = "dd-MMM-yyyy HH:mm:ss zzz";

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
                    all = [.. _folder!.Messages.Where(m => Fits(m, words)).Select(m => m.Uid)];
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

    /// <summary>Of what can be searched for it knows a header field and the day from which on messages were received.</summary>
    private static bool Fits(StandInMessage message, List<string> words)
    {
        var header = words.FindIndex(w => w.Equals("HEADER", StringComparison.OrdinalIgnoreCase));
        if (header >= 0 && words.Count > header + 2)
            return Encoding
                .Latin1.GetString(message.Octets)
                .Split("\r\n\r\n", 2)[0]
                .Split("\r\n")
                .Any(l =>
                    l.StartsWith($"{words[header + 1]}:", StringComparison.OrdinalIgnoreCase)
                    && l.Contains(words[header + 2], StringComparison.OrdinalIgnoreCase)
                );
        var since = words.FindIndex(w => w.Equals("SINCE", StringComparison.OrdinalIgnoreCase));
        return since < 0
            || words.Count <= since + 1
            || message.Received.Date >= DateTime.ParseExact(words[since + 1], "d-MMM-yyyy", CultureInfo.InvariantCulture);
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
                var asked = items[(items.IndexOf("HEADER.FIELDS (", StringComparison.OrdinalIgnoreCase) + 15)..].Split(')')[0];
                var header = HeaderFields(message.Octets, asked.Split(' '));
                await WriteAsync($"{line} BODY[HEADER.FIELDS ({asked})] {{{header.Length}}}\r\n{header})\r\n", cancel);
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

    private static string HeaderFields(byte[] octets, string[] asked)
    {
        var text = Encoding.Latin1.GetString(octets);
        var end = text.IndexOf("\r\n\r\n", StringComparison.Ordinal);
        var fields = new StringBuilder();
        var keep = false;
        foreach (var line in text[..(end < 0 ? text.Length : end)].Split("\r\n"))
        {
            if (line.Length > 0 && line[0] is not ' ' and not '\t')
                keep = asked.Any(f => line.StartsWith($"{f}:", StringComparison.OrdinalIgnoreCase));
            if (keep)
                fields.Append(line).Append("\r\n");
        }
        return fields.Append("\r\n").ToString();
    }

    private static List<(uint First, uint Last)> ReadSet(string set) =>
        [.. set.Split(',').Select(r => r.Split(':')).Select(r => (Number(r[0]), Number(r[^1])))];

    private static uint Number(string text) => text == "*" ? uint.MaxValue : uint.Parse(text, CultureInfo.InvariantCulture);
}
