namespace EasyCaravan.Peers.Dav;

/// <summary>What an object says, line by line, as the tests' own reader sees it: unfolded, without what every server may set.</summary>
public sealed class PlainItem
{
    private static readonly string[] s_ofTheServer = ["PRODID", "REV", "DTSTAMP", "BEGIN", "END"];

    public PlainItem(string text)
    {
        var unfolded = text.Replace("\r\n ", "", StringComparison.Ordinal)
            .Replace("\r\n\t", "", StringComparison.Ordinal)
            .Replace("\n ", "", StringComparison.Ordinal);
        var lines = unfolded.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).ToList();
        // A time zone that a server adds, or writes in its own way, is not what the event says.
        for (int start; (start = lines.IndexOf("BEGIN:VTIMEZONE")) >= 0; )
            lines.RemoveRange(start, lines.IndexOf("END:VTIMEZONE") - start + 1);
        Uid = lines.Find(l => l.StartsWith("UID:", StringComparison.Ordinal))?[4..] ?? "";
        Lines = [.. lines.Select(Normal).Where(l => !s_ofTheServer.Contains(l.Split(':', ';')[0])).Order(StringComparer.Ordinal)];
    }

    public string Uid { get; }

    public IReadOnlyList<string> Lines { get; }

    /// <summary>Everything that the other says is said here too.</summary>
    public bool SaysAllOf(PlainItem other) => other.Lines.All(Lines.Contains);

    private static string Normal(string line)
    {
        var colon = line.IndexOf(':', StringComparison.Ordinal);
        if (colon < 0)
            return line;
        var head = line[..colon].Split(';');
        return $"{head[0].ToUpperInvariant()}{string.Concat(head.Skip(1).Order().Select(p => $";{p}"))}{line[colon..]}";
    }
}
