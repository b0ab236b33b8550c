using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>UID MOVE (RFC 6851), or COPY and UID EXPUNGE (RFC 4315) where the server has no MOVE. Without UIDPLUS neither can be done to these messages alone.</summary>
internal sealed class ImapMoves(ImapConnection connection, ImapTraits traits, ImapFolders folders)
{
    private const int Step = 500;

    private bool CanName => traits.Can(ImapCapabilities.UidPlus);

    public async Task<IReadOnlyDictionary<uint, uint>?> MoveAsync(FolderPath path, NumberSet numbers, FolderPath to, CancellationToken cancel)
    {
        if (!CanName) return null;
        await folders.OpenAsync(path, writable: true, anew: false, cancel);
        var verb = traits.Can(ImapCapabilities.Move) ? "MOVE" : "COPY";
        var places = new Dictionary<uint, uint>();
        foreach (var line in ImapSyntax.Lines(numbers, Step))
        {
            void Read(string? code)
            {
                if (code is null || !code.StartsWith("COPYUID ", StringComparison.OrdinalIgnoreCase)) return;
                foreach (var (old, now) in ReadPlaces(code, line.Count)) places[old] = now;
            }
            // RFC 6851 §4.3: MOVE tells the places before its end, COPY with it.
            var result = await connection.RunAsync($"UID {verb} {line} {folders.Quoted(to)}", r => Read(ImapResult.Parse(r.Text.Span[2..]).Code), cancel);
            if (!result.IsOk) throw new FaultException(ImapCauses.Refused(result, connection.Wire, $"messages cannot be moved from '{path}' to '{to}'", Cause.NotPermitted), Verdict.Keep);
            Read(result.Code);
            if (verb == "COPY") await ExpungeAsync(line, path, cancel);
        }
        return places;
    }

    public async Task<bool> RemoveAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        if (!CanName) return false;
        await folders.OpenAsync(path, writable: true, anew: false, cancel);
        foreach (var line in ImapSyntax.Lines(numbers, Step)) await ExpungeAsync(line, path, cancel);
        return true;
    }

    private async Task ExpungeAsync(NumberSet line, FolderPath path, CancellationToken cancel)
    {
        await connection.MustAsync($"UID STORE {line} +FLAGS.SILENT (\\Deleted)", null, $"messages in '{path}' cannot be deleted", Cause.NotPermitted, cancel);
        await connection.MustAsync($"UID EXPUNGE {line}", null, $"messages in '{path}' cannot be deleted", Cause.NotPermitted, cancel);
    }

    /// <summary>COPYUID (RFC 4315 §3): the sets in the same order. More than was asked for is not believed.</summary>
    private static IEnumerable<(uint Old, uint New)> ReadPlaces(string code, long most)
    {
        var words = code.Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (words.Length != 4) throw new FormatException($"'{code}' does not say where messages landed");
        var (old, now) = (ImapSyntax.ReadNumbers(Encoding.ASCII.GetBytes(words[2])), ImapSyntax.ReadNumbers(Encoding.ASCII.GetBytes(words[3])));
        if (old.Count != now.Count || old.Count > most) throw new FormatException($"'{code}' tells {now.Count} places for {most} messages");
        return old.Zip(now);
    }
}
