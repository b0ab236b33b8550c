namespace EasyCaravan.Core.Planning;

/// <summary>Finds what somebody probably meant.</summary>
internal static class Spelling
{
    /// <summary><c>; did you mean 'x'?</c>, or nothing when no candidate is near.</summary>
    public static string Suggest(string written, IEnumerable<string> candidates)
    {
        var best = candidates.Select(c => (Word: c, Distance: Distance(written, c))).OrderBy(c => c.Distance).FirstOrDefault();
        return best.Word is not null && best.Distance <= Math.Max(1, written.Length / 3) ? $"; did you mean '{best.Word}'?" : "";
    }

    /// <summary>Levenshtein's distance: insertions, deletions and replacements.</summary>
    private static int Distance(string a, string b)
    {
        var row = Enumerable.Range(0, b.Length + 1).ToArray();
        for (var i = 1; i <= a.Length; i++)
        {
            var diagonal = row[0];
            row[0] = i;
            for (var j = 1; j <= b.Length; j++)
            {
                var above = row[j];
                row[j] = Math.Min(Math.Min(row[j] + 1, row[j - 1] + 1), diagonal + (a[i - 1] == b[j - 1] ? 0 : 1));
                diagonal = above;
            }
        }
        return row[b.Length];
    }
}
