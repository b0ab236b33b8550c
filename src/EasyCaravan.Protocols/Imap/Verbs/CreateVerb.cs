using EasyCaravan.Core.Planning;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>
/// CREATE: makes a folder, with its special use where the server takes one (RFC 6154 §3). A folder that is there already is refused.
/// </summary>
internal static class CreateVerb
{
    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name, SpecialUse use, ImapTraits traits) =>
        new(ImapVerbs.Create, TakesUse(use, traits) ? $"{name} (USE (\\{use}))" : name);

    public static bool TakesUse(SpecialUse use, ImapTraits traits) =>
        use is not SpecialUse.None && traits.Can(ImapCapabilities.CreateSpecialUse);
}
