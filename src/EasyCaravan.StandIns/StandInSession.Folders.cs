using System.Globalization;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>Commands about folders.</summary>
internal sealed partial class StandInSession
{
    private string Separator => service.Manners.Separator is { } separator ? $"\"{separator}\"" : "NIL";

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

    private string Status(StandInFolder folder)
    {
        var mark = service.Manners.Offers("CONDSTORE") ? $" HIGHESTMODSEQ {folder.Mark}" : "";
        return $"* STATUS {Quote(folder.Name)} (MESSAGES {folder.Messages.Count} UIDNEXT {folder.Next} UIDVALIDITY {folder.Epoch}{mark})";
    }

    private static string Quote(string name) =>
        $"\"{name.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";
}
