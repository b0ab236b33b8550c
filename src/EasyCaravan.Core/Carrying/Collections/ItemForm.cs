using System.IO.Hashing;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>One statement of an item: a property value, or a component that has no name of its own, such as an alarm.</summary>
/// <param name="Place">
/// The component that it stands in: <c>VCARD</c>, <c>VEVENT</c>, or <c>VEVENT 20270212T180000</c> for one instance of a series.
/// </param>
/// <param name="Name">The property, or the component's name.</param>
/// <param name="Digest">Equal for two statements that say the same.</param>
/// <param name="Preview">How the value begins, for people.</param>
public readonly record struct ItemStatement(string Place, string Name, UInt128 Digest, string Preview);

/// <summary>
/// What a vCard or an iCalendar object says, statement by statement, small enough to be kept while the object itself is let go. Two objects
/// with the same statements mean the same, in whatever order and folding they are written.
/// </summary>
/// <param name="OctetDigest">Equal where the octets are.</param>
public sealed record ItemForm(UInt128 OctetDigest, IReadOnlyList<ItemStatement> Statements)
{
    private const int PreviewLength = 160;

    /// <summary>Octets of a value that are read to part a list; a longer one is one statement.</summary>
    private const int LongestList = 64 * 1024;

    /// <summary>
    /// They say when and by which program the object was written last, and every server may set them (RFC 6350 §6.7.3, §6.7.4,
    /// RFC 5545 §3.7.3, §3.8.7.2).
    /// </summary>
    private static readonly HashSet<string> s_ofTheWriter = ["PRODID", "REV", "DTSTAMP"];

    /// <summary>Their values may stand in one property or in several (RFC 5545 §3.8.1, §3.8.5; RFC 6350 §6.2.3, §6.7.1).</summary>
    private static readonly HashSet<string> s_lists = ["CATEGORIES", "RESOURCES", "EXDATE", "RDATE", "NICKNAME"];

    /// <summary>Components in which people look for single properties; any other is one statement.</summary>
    private static readonly HashSet<string> s_opened = ["", "VCARD", "VCALENDAR", "VEVENT", "VTODO", "VJOURNAL"];

    /// <summary>Short enough to be kept for every item.</summary>
    public ulong Digest => (ulong)OctetDigest;

    /// <summary>The same without looking at what the object says.</summary>
    public static ulong DigestOf(ReadOnlyMemory<byte> octets) => (ulong)XxHash128.HashToUInt128(octets.Span);

    /// <summary>All but one property.</summary>
    public ItemForm Without(string property) => this with { Statements = [.. Statements.Where(s => s.Name != property)] };

    public static ItemForm Of(ReadOnlyMemory<byte> octets)
    {
        var statements = new List<ItemStatement>();
        AddTo(statements, ItemComponent.Parse(octets));
        return new ItemForm(XxHash128.HashToUInt128(octets.Span), statements);
    }

    private static void AddTo(List<ItemStatement> statements, ItemComponent component)
    {
        var place = PlaceOf(component);
        foreach (var line in component.Lines)
            statements.AddRange(StatementsOf(place, line));
        foreach (var child in component.Children)
            if (s_opened.Contains(child.Name))
                AddTo(statements, child);
            else
                statements.Add(new ItemStatement(place, child.Name, DigestOf(child), PreviewOf(child)));
    }

    /// <summary>One instance of a series is told from the series by its RECURRENCE-ID (RFC 5545 §3.8.4.4).</summary>
    private static string PlaceOf(ItemComponent component) =>
        component.Find("RECURRENCE-ID") is { } instance ? $"{component.Name} {instance.Text(64)}" : component.Name;

    private static IEnumerable<ItemStatement> StatementsOf(string place, ContentLine line)
    {
        // An empty property says nothing; some servers leave it out.
        if (s_ofTheWriter.Contains(line.Name) || line.IsEmpty)
            yield break;
        if (s_lists.Contains(line.Name) && line.TryRead(LongestList) is { } list)
        {
            foreach (var range in SplitList(list))
            {
                var value = list.AsSpan(range);
                var hash = HeadOf(line);
                hash.Append(value);
                var preview = System.Text.Encoding.UTF8.GetString(value[..Math.Min(value.Length, PreviewLength)]);
                yield return new ItemStatement(place, line.Name, hash.GetCurrentHashAsUInt128(), preview);
            }
            yield break;
        }
        yield return new ItemStatement(place, line.Name, DigestOf(line), line.Text(PreviewLength));
    }

    /// <summary>A comma that a backslash escapes is part of the value.</summary>
    private static List<Range> SplitList(byte[] list)
    {
        var (parts, from) = (new List<Range>(), 0);
        for (var i = 0; i < list.Length; i++)
        {
            if (list[i] == '\\')
                i++;
            else if (list[i] == ',')
            {
                parts.Add(from..i);
                from = i + 1;
            }
        }
        parts.Add(from..list.Length);
        return parts;
    }

    private static UInt128 DigestOf(ContentLine line)
    {
        var hash = HeadOf(line);
        line.HashValueInto(hash);
        return hash.GetCurrentHashAsUInt128();
    }

    /// <summary>
    /// Group, name and parameters, whatever their order and case. The values of TYPE are words without case that may stand in one parameter
    /// or in several (RFC 6350 §5.6); all others are exact.
    /// </summary>
    private static XxHash128 HeadOf(ContentLine line)
    {
        var types = line.ParameterValues("TYPE").Select(t => $"TYPE={t.ToUpperInvariant()}").Distinct();
        var others = line.Parameters.Where(p => p.Name != "TYPE").Select(p => $"{p.Name}={p.Value}");
        var hash = new XxHash128();
        foreach (var part in types.Concat(others).Order(StringComparer.Ordinal).Prepend($"{line.Group?.ToUpperInvariant()}.{line.Name}"))
        {
            hash.Append(System.Text.Encoding.UTF8.GetBytes(part));
            // No part may run into the next one.
            hash.Append([0]);
        }
        return hash;
    }

    private static UInt128 DigestOf(ItemComponent component)
    {
        var within = component
            .Lines.SelectMany(l => StatementsOf("", l))
            .Select(s => s.Digest)
            .Concat(component.Children.Select(DigestOf))
            .Order();
        var hash = new XxHash128();
        hash.Append(System.Text.Encoding.UTF8.GetBytes(component.Name));
        Span<byte> octets = stackalloc byte[16];
        foreach (var digest in within)
        {
            System.Buffers.Binary.BinaryPrimitives.WriteUInt128LittleEndian(octets, digest);
            hash.Append(octets);
        }
        return hash.GetCurrentHashAsUInt128();
    }

    private static string PreviewOf(ItemComponent component)
    {
        var said = string.Join(", ", component.Lines.Take(4).Select(l => $"{l.Name} {l.Text(40)}"));
        return said.Length > PreviewLength ? said[..PreviewLength] : said;
    }
}
