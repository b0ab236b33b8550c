namespace EasyCaravan.Core.Formats;

/// <summary>A component such as VCARD, VCALENDAR, VEVENT or VALARM, with its properties and the components within it.</summary>
public sealed class ItemComponent(string name)
{
    /// <summary>Components within components; what lies deeper is read as properties of the deepest.</summary>
    private const int Deepest = 16;

    private readonly List<ContentLine> _lines = [];
    private readonly List<ItemComponent> _children = [];

    /// <summary>In capitals; empty for the object as a whole.</summary>
    public string Name => name;

    public IReadOnlyList<ContentLine> Lines => _lines;

    public IReadOnlyList<ItemComponent> Children => _children;

    /// <summary>The object as a whole: its children are the cards or calendars in it.</summary>
    public static ItemComponent Parse(ReadOnlyMemory<byte> octets)
    {
        var open = new Stack<ItemComponent>();
        open.Push(new ItemComponent(""));
        foreach (var line in ContentLineReader.Read(octets))
        {
            if (line.Name == "BEGIN" && open.Count <= Deepest)
            {
                var child = new ItemComponent(line.Text().Trim().ToUpperInvariant());
                open.Peek()._children.Add(child);
                open.Push(child);
            }
            else if (
                line.Name == "END"
                && open.Count > 1
                && line.Text().Trim().Equals(open.Peek().Name, StringComparison.OrdinalIgnoreCase)
            )
                open.Pop();
            else
                open.Peek()._lines.Add(line);
        }
        while (open.Count > 1)
            open.Pop();
        return open.Pop();
    }

    /// <summary>The first property of this name.</summary>
    public ContentLine? Find(string property)
    {
        foreach (var line in _lines)
            if (line.Name == property)
                return line;
        return null;
    }

    public IEnumerable<ContentLine> FindAll(string property) => _lines.Where(l => l.Name == property);
}
