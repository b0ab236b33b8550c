using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Maps a server's refusal to a cause: by its response code (RFC 5530 and others), never by its text.</summary>
internal static class ImapCauses
{
    /// <param name="otherwise">
    /// The cause when the server gave no code that says more: what a refusal of this command means by itself.
    /// </param>
    public static Fault Refused(ImapResult result, LineConnection wire, string what, Cause otherwise)
    {
        var cause = result.CodeName switch
        {
            "OVERQUOTA" => Cause.NoRoom,
            "TOOBIG" => Cause.MessageTooLarge,
            "NOPERM" => Cause.NotPermitted,
            "AUTHENTICATIONFAILED" or "AUTHORIZATIONFAILED" or "EXPIRED" or "PRIVACYREQUIRED" => Cause.SignInRefused,
            "UNAVAILABLE" or "INUSE" or "SERVERBUG" or "CONTACTADMIN" => Cause.ServiceBusy,
            // The folder was deleted or renamed since it was listed; the next pass lists again.
            "NONEXISTENT" when otherwise is Cause.NotPermitted => Cause.ProtocolBroken,
            "TRYCREATE" or "NONEXISTENT" or "CANNOT" => otherwise is Cause.MessageRefused ? Cause.FolderRefused : otherwise,
            _ => otherwise,
        };
        var said = result.Text.Length > 0 ? $": \"{result.Text}\"" : "";
        return new Fault(cause, wire.Whom, $"{what}{said}", result.CodeName) { Service = wire.Service };
    }
}
