using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>A server's capabilities in words that say what they are good for.</summary>
internal static class ImapAbilities
{
    private static readonly (ImapCapabilities Capability, string With, string Without)[] s_known =
    [
        (ImapCapabilities.MultiAppend, "takes many messages at a time", "takes messages one by one (slower)"),
        (
            ImapCapabilities.LiteralPlus | ImapCapabilities.LiteralMinus,
            "takes them without waiting",
            "wants a pause before each message (slower from afar)"
        ),
        (ImapCapabilities.UidPlus, "says where each message landed", "does not say where messages landed (they are looked up)"),
        (
            ImapCapabilities.CondStore | ImapCapabilities.QuickResync,
            "tells what changed since the last pass",
            "does not tell what changed (all flags are compared)"
        ),
        (ImapCapabilities.ListStatus, "tells all folders in one answer", "is asked about each folder"),
        (ImapCapabilities.SpecialUse, "knows what folders are for", "does not say what folders are for (names decide)"),
        (
            ImapCapabilities.ObjectID,
            "names each message, the same in every folder",
            "names no messages (headers and bodies tell which are the same)"
        ),
        (ImapCapabilities.Quota, "tells its quota", "tells no quota"),
        (ImapCapabilities.Acl, "tells rights", "tells no rights"),
    ];

    public static string Describe(ImapTraits traits)
    {
        var words = s_known.Select(k => traits.Can(k.Capability) ? k.With : k.Without).ToList();
        words.Add(traits.Separator is null ? "has no folders within folders" : $"folders within folders ('{traits.Separator}')");
        if (traits.LargestMessage is { } largest)
            words.Add($"messages up to {largest}");
        return string.Join("; ", words);
    }
}
