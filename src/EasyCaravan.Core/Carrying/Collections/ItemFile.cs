using System.Collections.Immutable;
using System.Text;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Formats.Csv;
using EasyCaravan.Core.Formats.ICalendar;
using EasyCaravan.Core.Formats.VCard;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>A contact or event of a file.</summary>
/// <param name="Key">By which it is known again when the file is sent anew.</param>
/// <param name="Lines">1-based lines of the file on which it stands.</param>
/// <param name="Fault">Why it cannot be read; null: it can.</param>
public sealed record FileItem(string Key, ReadOnlyMemory<byte> Octets, ImmutableArray<int> Lines, string? Fault = null);

/// <summary>The contacts or events of a file.</summary>
/// <param name="Title">What the file calls itself; null: nothing.</param>
/// <param name="Table">Of a spreadsheet; null: it is none.</param>
public sealed record ItemFile(string? Title, IReadOnlyList<FileItem> Items, ContactTable? Table)
{
    /// <param name="name">Of the file: contacts without UID get one that says from which file and line they come.</param>
    /// <param name="columns">What somebody said that columns of a spreadsheet hold.</param>
    public static ItemFile Read(
        ItemFileFormat format,
        string name,
        ReadOnlyMemory<byte> octets,
        IReadOnlyDictionary<string, ColumnUse> columns
    )
    {
        switch (format)
        {
            case ItemFileFormat.Csv:
                var table = ContactTable.Read(octets.Span, columns);
                return new ItemFile(null, OfTable(name, table), table);
            case ItemFileFormat.Vcard:
                return new ItemFile(null, OfCards(octets), null);
            default:
                var objects = CalendarFile.Read(octets, out var title);
                var keys = new Keys();
                return new ItemFile(
                    title,
                    [
                        .. objects.Select(o => new FileItem(
                            keys.Free(o.Uid is { } uid ? $"uid {uid}" : $"digest {ItemForm.DigestOf(o.Octets):x16}"),
                            o.Octets,
                            [o.Line]
                        )),
                    ],
                    null
                );
        }
    }

    /// <summary>
    /// Lines about one and the same contact are brought together, as long as none contradicts another: a list often names somebody twice,
    /// once with the address and once with the number.
    /// </summary>
    private static List<FileItem> OfTable(string name, ContactTable table)
    {
        var (items, keys, index) = (new List<FileItem>(), new Keys(), new ContactIndex<int>());
        var writer = new ContactCardWriter(table);
        foreach (var row in table.Rows)
        {
            if (writer.KeyOf(row) is not { } key)
            {
                items.Add(Unreadable(keys, row.Line, "the line names nobody: no name, organisation, address or number", row.Cells));
                continue;
            }
            var free = keys.Free(key);
            var uid = key.StartsWith("uid ", StringComparison.Ordinal) ? key[4..] : ContactCardWriter.UidOf(name, free);
            var card = writer.Write(row, uid);
            var component = ItemComponent.Parse(card);
            var identity = ContactIdentity.Of(ItemLabel.Main(component)!);
            if (Same(items, index, identity, component) is { } same)
            {
                keys.GiveBack(key);
                var before = items[same];
                items[same] = before with
                {
                    Octets = ContactMerge.Merge(before.Octets, component) ?? before.Octets,
                    Lines = before.Lines.Add(row.Line),
                };
                continue;
            }
            index.Add(identity, items.Count);
            items.Add(new FileItem(free, card, [row.Line]));
        }
        items.AddRange(table.Faults.Select(f => Unreadable(keys, f.Line, f.What, [f.Text])));
        return items;
    }

    private static int? Same(List<FileItem> items, ContactIndex<int> index, ContactIdentity identity, ItemComponent card)
    {
        foreach (var (place, match) in index.Find(identity))
            if (match is ContactMatch.Same && !ContactMerge.Contradicts(items[place].Octets, card))
                return place;
        return null;
    }

    private static FileItem Unreadable(Keys keys, int line, string what, IEnumerable<string> cells)
    {
        var octets = Encoding.UTF8.GetBytes(string.Join(", ", cells));
        return new FileItem(keys.Free($"line {ItemForm.DigestOf(octets):x16}"), octets, [line], $"line {line}: {what}");
    }

    /// <summary>As they stand in the file. One that stands there twice, octet by octet, is one.</summary>
    private static List<FileItem> OfCards(ReadOnlyMemory<byte> octets)
    {
        var (items, keys, byDigest) = (new List<FileItem>(), new Keys(), new Dictionary<ulong, int>());
        foreach (var card in CardFile.Read(octets))
        {
            var digest = ItemForm.DigestOf(card.Octets);
            if (byDigest.TryGetValue(digest, out var same))
            {
                items[same] = items[same] with { Lines = items[same].Lines.Add(card.Line) };
                continue;
            }
            byDigest[digest] = items.Count;
            var label = ItemLabel.Of(ItemComponent.Parse(card.Octets));
            var key = keys.Free(
                label.Uid is { } uid ? $"uid {uid}"
                : label.Title.Length > 0 ? $"name {label.Title}"
                : $"digest {digest:x16}"
            );
            var fault = card.IsWhole ? null : $"line {card.Line}: the card does not end, the file is cut off or damaged there";
            items.Add(new FileItem(key, card.Octets, [card.Line], fault));
        }
        return items;
    }

    /// <summary>Of several with the same key each gets one of its own, in their order.</summary>
    private sealed class Keys
    {
        private readonly Dictionary<string, int> _used = new(StringComparer.Ordinal);

        public string Free(string key)
        {
            var times = _used[key] = _used.GetValueOrDefault(key) + 1;
            return times == 1 ? key : $"{key} ({times})";
        }

        public void GiveBack(string key) => _used[key]--;
    }
}
