using System.Text;

namespace EasyCaravan.Core.Formats.ICalendar;

/// <summary>
/// Parts an iCalendar file into objects of one UID each, as a calendar of a server holds them (RFC 4791 §4.1). Their properties stay as
/// they are written; each object gets the time zones that it names.
/// </summary>
internal static class CalendarFile
{
    /// <param name="Uid">Null: it has none.</param>
    /// <param name="Line">1-based line of the file on which its first component begins.</param>
    public readonly record struct CalendarObject(string? Uid, int Line, byte[] Octets);

    private static readonly HashSet<string> s_items = ["VEVENT", "VTODO", "VJOURNAL"];

    /// <summary>
    /// They are about the file as a whole. METHOD is for invitations on their way (RFC 5546 §1.4), and a file is none.
    /// </summary>
    private static readonly HashSet<string> s_ofTheFile = ["METHOD", "X-WR-CALNAME", "X-WR-CALDESC", "X-WR-TIMEZONE", "NAME", "COLOR"];

    /// <param name="name">What the file calls itself; null: nothing.</param>
    public static IReadOnlyList<CalendarObject> Read(ReadOnlyMemory<byte> file, out string? name) => Read(file, s_ofTheFile, out name);

    /// <summary>Parts an object of several UIDs. What it says of itself as a whole, each part says.</summary>
    public static IReadOnlyList<CalendarObject> Part(ReadOnlyMemory<byte> whole) => Read(whole, [], out _);

    private static List<CalendarObject> Read(ReadOnlyMemory<byte> file, HashSet<string> except, out string? name)
    {
        var (objects, order) = (new Dictionary<string, Parts>(StringComparer.Ordinal), new List<Parts>());
        name = null;
        var lines = new LineCounter(file);
        foreach (var calendar in ItemComponent.Parse(file).Children.Where(c => c.Name == "VCALENDAR"))
        {
            name ??= (calendar.Find("X-WR-CALNAME") ?? calendar.Find("NAME"))?.Text(200).Trim() is { Length: > 0 } said ? said : null;
            var head = calendar.Lines.Where(l => !except.Contains(l.Name)).ToList();
            var zones = calendar
                .Children.Where(c => c.Name == "VTIMEZONE")
                .GroupBy(z => z.Find("TZID")?.Text(256).Trim() ?? "")
                .ToDictionary(g => g.Key, g => g.First());
            foreach (var item in calendar.Children.Where(c => s_items.Contains(c.Name)))
            {
                var uid = item.Find("UID")?.Text().Trim() is { Length: > 0 } u ? u : null;
                if (uid is null || !objects.TryGetValue(uid, out var parts))
                {
                    parts = new Parts(uid, lines.Of(item.Lines is [var first, ..] ? first.Raw : default), head, zones);
                    order.Add(parts);
                    if (uid is not null)
                        objects[uid] = parts;
                }
                parts.Items.Add(item);
            }
        }
        return [.. order.Select(p => new CalendarObject(p.Uid, p.Line, p.Write()))];
    }

    private sealed record Parts(string? Uid, int Line, List<ContentLine> Head, Dictionary<string, ItemComponent> Zones)
    {
        public List<ItemComponent> Items { get; } = [];

        public byte[] Write()
        {
            var octets = new MemoryStream();
            octets.Write("BEGIN:VCALENDAR\r\n"u8);
            foreach (var line in Head)
                Write(octets, line);
            var named = Items.SelectMany(LinesOf).SelectMany(l => l.ParameterValues("TZID")).ToHashSet(StringComparer.Ordinal);
            foreach (var (zone, component) in Zones.Where(z => named.Contains(z.Key)))
                Write(octets, component);
            foreach (var item in Items)
                Write(octets, item);
            octets.Write("END:VCALENDAR\r\n"u8);
            return octets.ToArray();
        }

        private static IEnumerable<ContentLine> LinesOf(ItemComponent component) =>
            component.Lines.Concat(component.Children.SelectMany(LinesOf));

        private static void Write(MemoryStream octets, ItemComponent component)
        {
            octets.Write(Encoding.ASCII.GetBytes($"BEGIN:{component.Name}\r\n"));
            foreach (var line in component.Lines)
                Write(octets, line);
            foreach (var child in component.Children)
                Write(octets, child);
            octets.Write(Encoding.ASCII.GetBytes($"END:{component.Name}\r\n"));
        }

        private static void Write(MemoryStream octets, ContentLine line)
        {
            octets.Write(line.Raw.Span);
            octets.Write("\r\n"u8);
        }
    }

    /// <summary>Tells on which line something stands, for places in the order of the file.</summary>
    private sealed class LineCounter(ReadOnlyMemory<byte> file)
    {
        private int _line = 1;
        private int _counted;

        public int Of(ReadOnlyMemory<byte> part)
        {
            System.Runtime.InteropServices.MemoryMarshal.TryGetArray(file, out var whole);
            if (!System.Runtime.InteropServices.MemoryMarshal.TryGetArray(part, out var slice) || slice.Array != whole.Array)
                return _line;
            var offset = slice.Offset - whole.Offset;
            if (offset > _counted)
                (_line, _counted) = (_line + file.Span[_counted..offset].Count((byte)'\n'), offset);
            return _line;
        }
    }
}
