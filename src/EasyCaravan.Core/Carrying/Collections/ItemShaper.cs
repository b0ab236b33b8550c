using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Formats.ICalendar;
using EasyCaravan.Core.Formats.VCard;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Makes the changes that a route allows, so that the new side takes an item that it refused.</summary>
internal static class ItemShaper
{
    /// <summary>Those that may help a refused item, the smallest first.</summary>
    private static readonly ItemShapings[] s_forRefused =
    [
        ItemShapings.MissingProdid,
        ItemShapings.Method,
        ItemShapings.MissingUid,
        ItemShapings.MissingName,
        ItemShapings.NoDuration,
        ItemShapings.SplitUids,
        ItemShapings.VcardVersion,
    ];

    private const string Prodid = "PRODID:-//Easy Caravan//EN";

    /// <summary>
    /// What can be tried with an item that was refused, one after the other: each by itself, and in the end all together.
    /// </summary>
    public static IEnumerable<(ItemShapings Shapings, byte[] Octets)> Ways(ItemInHand item, ItemShapings allowed)
    {
        // What was changed already, so that nothing is sent, stays changed.
        var octets = item.Sent;
        var component = ItemComponent.Parse(octets);
        byte[]? Shape(ItemShapings shapings)
        {
            var others = shapings & ~(ItemShapings.VcardVersion | ItemShapings.SplitUids);
            if (others == shapings)
                return ItemShaper.Shape(octets, component, item.Form.OctetDigest, shapings);
            // First as a whole, then what else it needs.
            if (Rewrite(octets, component, shapings) is not { } whole)
                return null;
            return ItemShaper.Shape(whole, ItemComponent.Parse(whole), item.Form.OctetDigest, others) ?? whole;
        }
        var useful = s_forRefused.Where(s => allowed.HasFlag(s) && Shape(s) is not null).ToList();
        var all = useful.Aggregate(ItemShapings.None, (sum, s) => sum | s);
        foreach (var shaping in useful.Count > 1 ? useful.Append(all) : useful)
            yield return (shaping, Shape(shaping)!);
    }

    /// <summary>A card in another version, or the first part of an object of several UIDs; null where it is neither.</summary>
    private static byte[]? Rewrite(ReadOnlyMemory<byte> octets, ItemComponent component, ItemShapings shapings) =>
        component.Children is [{ Name: "VCARD" } card] ? (shapings.HasFlag(ItemShapings.VcardVersion) ? VersionThree.Of(card) : null)
        : shapings.HasFlag(ItemShapings.SplitUids) && Parts(octets) is { Count: > 1 } parts ? parts[0].Octets
        : null;

    /// <summary>One object for each UID (RFC 4791 §4.1), in the order of the object; the first stands in its place.</summary>
    public static IReadOnlyList<CalendarFile.CalendarObject> Parts(ReadOnlyMemory<byte> octets) => CalendarFile.Part(octets);

    /// <summary>So that the new side sends nothing for it; null where that cannot be said in it.</summary>
    public static byte[]? Silence(ItemInHand item, IReadOnlyCollection<string> addresses)
    {
        var editor = new ItemEditor(item.Octets);
        foreach (var part in item.Component.Children.SelectMany(c => c.Children).Where(c => c.Name is "VEVENT" or "VTODO"))
        {
            if (part.Find("ORGANIZER") is not { } organiser)
                continue;
            // RFC 6638 §7.1: the organiser's copy says it of each attendee, an attendee's copy of the organiser.
            ContentLine[] lines = Invitations.IsOne(organiser, addresses) ? [.. part.FindAll("ATTENDEE")] : [organiser];
            if (lines.Any(l => l.Parameters.Any(p => p.Name == "SCHEDULE-AGENT" && p.Value is not ("NONE" or "CLIENT"))))
                return null;
            foreach (var line in lines.Where(l => l.Parameters.All(p => p.Name != "SCHEDULE-AGENT")))
                if (!editor.AddParameter(line, "SCHEDULE-AGENT=NONE"))
                    return null;
        }
        return editor.HasChanges ? editor.Apply() : null;
    }

    /// <summary>An item as it was sent when it was carried; as it is, where that cannot be told any more.</summary>
    public static ReadOnlyMemory<byte> Again(ItemInHand item, IReadOnlyCollection<string> addresses)
    {
        var before = item.ShapedBefore;
        if (before.HasFlag(ItemShapings.ScheduleAgent) && Silence(item, addresses) is { } silent)
            item.Shape(ItemShapings.ScheduleAgent, silent);
        if (before.HasFlag(ItemShapings.AnotherUid))
            item.Shape(item.Item.Shapings | ItemShapings.AnotherUid, WithUidBeside(item));
        var others = before & ~(ItemShapings.ScheduleAgent | ItemShapings.AnotherUid);
        return Ways(item, others).FirstOrDefault(w => w.Shapings == others).Octets is { } octets ? octets : item.Sent;
    }

    /// <summary>The UID of what comes beside another one of its UID: the same at every try.</summary>
    public static string UidBeside(ItemInHand item) => $"{item.Label.Uid ?? $"{item.Form.OctetDigest:x32}"}-old-side";

    /// <summary>With a UID of its own in all its parts.</summary>
    public static byte[] WithUidBeside(ItemInHand item)
    {
        // What was changed already, so that nothing is sent, stays changed.
        var (editor, line) = (new ItemEditor(item.Sent), $"UID:{UidBeside(item)}");
        foreach (var whole in ItemComponent.Parse(item.Sent).Children)
        foreach (var part in whole.Name == "VCARD" ? [whole] : whole.Children.Where(c => c.Name is "VEVENT" or "VTODO" or "VJOURNAL"))
            if (part.Find("UID") is { } uid)
                editor.Replace(uid, line);
            else if (part.Lines is [var first, ..])
                editor.AddAfter(first, line);
        return editor.Apply();
    }

    /// <summary>Null where the item does not need it.</summary>
    private static byte[]? Shape(ReadOnlyMemory<byte> octets, ItemComponent component, UInt128 digest, ItemShapings shapings)
    {
        var editor = new ItemEditor(octets);
        foreach (var whole in component.Children)
        {
            if (whole.Lines is not [var first, ..])
                continue;
            if (whole.Name == "VCARD")
            {
                ShapeCard(digest, whole, first, shapings, editor);
                continue;
            }
            if (shapings.HasFlag(ItemShapings.MissingProdid) && whole.Find("PRODID") is null)
                editor.AddAfter(first, Prodid);
            if (shapings.HasFlag(ItemShapings.Method) && whole.Find("METHOD") is { } method)
                editor.Remove(method);
            if (shapings.HasFlag(ItemShapings.NoDuration))
                foreach (var part in whole.Children.Where(c => c.Name == "VEVENT"))
                    AddDuration(part, editor);
            if (shapings.HasFlag(ItemShapings.MissingUid))
                foreach (var part in whole.Children.Where(c => c.Name is "VEVENT" or "VTODO" or "VJOURNAL" && c.Find("UID") is null))
                    if (part.Lines is [var line, ..])
                        editor.AddAfter(line, UidOf(digest));
        }
        return editor.HasChanges ? editor.Apply() : null;
    }

    private static void AddDuration(ItemComponent part, ItemEditor editor)
    {
        if (part.Find("DTSTART") is not { } start)
            return;
        var line = start.Text(64).Contains('T', StringComparison.Ordinal) ? "DURATION:PT1M" : "DURATION:P1D";
        if (part.Find("DTEND") is { } end)
        {
            if (end.Text(64).Trim() == start.Text(64).Trim())
                editor.Replace(end, line);
        }
        else if (part.Find("DURATION") is not { } duration)
            editor.AddAfter(start, line);
        else if (duration.Text(64).Trim() is "PT0S" or "P0D" or "PT0M" or "PT0H")
            editor.Replace(duration, line);
    }

    private static void ShapeCard(UInt128 digest, ItemComponent card, ContentLine first, ItemShapings shapings, ItemEditor editor)
    {
        if (shapings.HasFlag(ItemShapings.MissingUid) && card.Find("UID") is null)
            editor.AddAfter(first, UidOf(digest));
        if (!shapings.HasFlag(ItemShapings.MissingName))
            return;
        var name = card.Find("N")?.Text().Trim() is { Length: > 0 } parts ? parts : null;
        var full = card.Find("FN")?.Text().Trim() is { Length: > 0 } text ? text : null;
        if (full is null)
            editor.AddAfter(first, $"FN:{Shown(name, card)}");
        if (name is null)
            editor.AddAfter(first, $"N:{(full ?? Shown(null, card)).Replace(";", "\\;", StringComparison.Ordinal)};;;;");
    }

    /// <summary>Of "Marsh;Aoife;;;" "Aoife Marsh", or what else the card is known by.</summary>
    private static string Shown(string? name, ItemComponent card)
    {
        var parts = (name ?? "").Split(';');
        var shown = string.Join(' ', new[] { parts.ElementAtOrDefault(1), parts[0] }.Where(p => !string.IsNullOrWhiteSpace(p)));
        return new[] { shown, card.Find("ORG")?.Text(), card.Find("EMAIL")?.Text(), card.Find("TEL")?.Text() }.FirstOrDefault(s =>
            !string.IsNullOrWhiteSpace(s)
        )
            ?? "?";
    }

    /// <summary>From the content, so that a second try makes the same.</summary>
    private static string UidOf(UInt128 digest)
    {
        Span<byte> octets = stackalloc byte[16];
        System.Buffers.Binary.BinaryPrimitives.WriteUInt128BigEndian(octets, digest);
        return $"UID:{new Guid(octets, bigEndian: true)}";
    }
}
