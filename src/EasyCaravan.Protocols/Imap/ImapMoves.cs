using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Moves and removes messages. Without UIDPLUS (RFC 4315) neither can be done to these messages alone.</summary>
internal sealed class ImapMoves(ImapConnection connection, ImapTraits traits, ImapFolders folders)
{
    private const int Step = 500;

    private bool CanName => traits.Can(ImapCapabilities.UidPlus);

    public async Task<IReadOnlyDictionary<uint, uint>?> MoveAsync(
        FolderPath path,
        NumberSet numbers,
        FolderPath to,
        CancellationToken cancel
    )
    {
        if (!CanName)
            return null;
        await folders.OpenAsync(path, writable: true, anew: false, cancel);
        var places = new Dictionary<uint, uint>();
        foreach (var uids in ImapSyntax.Lines(numbers, Step))
        {
            void Read(string? code)
            {
                foreach (var (old, now) in MoveVerb.ReadCopyUid(code, uids.Count))
                    places[old] = now;
            }
            var command = MoveVerb.Of(uids, folders.Quoted(to), traits);
            // RFC 6851 §4.3: MOVE sends COPYUID in an untagged response, COPY in its tagged one.
            var result = await connection.RunAsync(command, r => Read(ImapResult.Parse(r.Text.Span[2..]).Code), cancel);
            if (!result.IsOk)
                throw new FaultException(
                    ImapCauses.Refused(result, connection.Wire, $"messages cannot be moved from '{path}' to '{to}'", Cause.NotPermitted),
                    Verdict.Keep
                );
            Read(result.Code);
            if (command.Verb == ImapVerbs.Copy)
                await ExpungeAsync(uids, path, cancel);
        }
        return places;
    }

    public async Task<bool> RemoveAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        if (!CanName)
            return false;
        await folders.OpenAsync(path, writable: true, anew: false, cancel);
        foreach (var uids in ImapSyntax.Lines(numbers, Step))
            await ExpungeAsync(uids, path, cancel);
        return true;
    }

    private async Task ExpungeAsync(NumberSet uids, FolderPath path, CancellationToken cancel)
    {
        await connection.MustAsync(
            StoreVerb.Add(uids, "\\Deleted"),
            null,
            $"messages in '{path}' cannot be deleted",
            Cause.NotPermitted,
            cancel
        );
        await connection.MustAsync(ExpungeVerb.Of(uids), null, $"messages in '{path}' cannot be deleted", Cause.NotPermitted, cancel);
    }
}
