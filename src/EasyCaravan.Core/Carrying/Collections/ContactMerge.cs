using System.Text;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Adds to a contact what another of the same person says beyond it. Nothing that is there is changed or taken away.</summary>
internal static class ContactMerge
{
    /// <summary>
    /// They say who it is, or by whom and how the card was written. The same contact may be written differently there.
    /// </summary>
    private static readonly HashSet<string> s_ofTheCard = ["VERSION", "PRODID", "REV", "UID", "N", "FN"];

    /// <summary>
    /// Properties of which a second one would contradict the first (RFC 6350 §6, cardinality *1, and what people have once).
    /// </summary>
    private static readonly HashSet<string> s_single =
    [
        "PHOTO",
        "LOGO",
        "ORG",
        "TITLE",
        "ROLE",
        "BDAY",
        "ANNIVERSARY",
        "NICKNAME",
        "CATEGORIES",
        "GENDER",
        "KIND",
    ];

    /// <summary>Digits of a number within one town; shorter ones are an extension.</summary>
    private const int LocalDigits = 7;

    /// <summary>What a card says and the other does not.</summary>
    public static IReadOnlyList<ContentLine> Lacking(ReadOnlyMemory<byte> there, ItemComponent more)
    {
        var lines = CardOf(ItemComponent.Parse(there))?.Lines ?? [];
        var known = lines.Select(KeyOf).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var numbers = lines.Where(l => l.Name == "TEL").Select(NumberOf).ToList();
        return
        [
            .. (CardOf(more)?.Lines ?? []).Where(l =>
                !l.IsEmpty
                && !s_ofTheCard.Contains(l.Name)
                && known.Add(KeyOf(l))
                && !(
                    l.Name == "TEL"
                    && NumberOf(l) is { Length: >= LocalDigits } own
                    && numbers.Exists(n => n.EndsWith(own, StringComparison.Ordinal))
                )
            ),
        ];
    }

    /// <returns>The merged card; null where there is nothing that can be added.</returns>
    public static byte[]? Merge(ReadOnlyMemory<byte> there, ItemComponent more)
    {
        if (CardOf(ItemComponent.Parse(there)) is not { Lines: [.., var last] } card)
            return null;
        // A group ties lines of one card together; its name may stand for something else in the other.
        var added = Lacking(there, more)
            .Where(l => l.Group is null && !(s_single.Contains(l.Name) && card.Find(l.Name) is not null))
            .Select(l => Encoding.UTF8.GetString(l.Raw.Span))
            .ToList();
        if (added.Count == 0)
            return null;
        var editor = new ItemEditor(there);
        editor.AddAfter(last, string.Join("\r\n", added));
        return editor.Apply();
    }

    /// <summary>Something that a person has once is said differently by the other.</summary>
    public static bool Contradicts(ReadOnlyMemory<byte> there, ItemComponent more)
    {
        var card = CardOf(ItemComponent.Parse(there));
        return Lacking(there, more).Any(l => s_single.Contains(l.Name) && card?.Find(l.Name) is not null);
    }

    /// <summary>
    /// Without the zeros that stand for a country's code: a number that is there with the code is not wanted without it too.
    /// </summary>
    private static string NumberOf(ContentLine line) => new string([.. line.Text().Where(char.IsAsciiDigit)]).TrimStart('0');

    private static ItemComponent? CardOf(ItemComponent item) => item.Children.FirstOrDefault(c => c.Name == "VCARD");

    /// <summary>
    /// The same number or address under another type is the same; of numbers only the digits count. A value may be a photo of megabytes.
    /// </summary>
    private static string KeyOf(ContentLine line)
    {
        if (line.Name == "TEL")
            return $"TEL:{new string([.. line.Text().Where(c => char.IsAsciiDigit(c) || c == '+')])}";
        var hash = new System.IO.Hashing.XxHash128();
        line.HashValueInto(hash);
        return line.Name is "EMAIL" ? $"EMAIL:{line.Text().Trim()}" : $"{line.Name}:{hash.GetCurrentHashAsUInt128():x32}";
    }
}
