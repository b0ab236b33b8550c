using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Surveying;

/// <summary>What leaving something out before the move would save. Nothing is ever deleted on the from side.</summary>
/// <param name="Value">The value of the way out; null when it takes none.</param>
public sealed record Saving(FindingCode Code, Resolution Way, string? Value, long Messages, ByteCount Octets);

/// <summary>Finds what could be left out.</summary>
public static class Tidying
{
    private static readonly ByteCount[] s_large = [new(10_000_000), new(25_000_000), new(50_000_000)];
    private static readonly int[] s_yearsAgo = [2, 5, 10];

    /// <summary>What each way would save of one account, those that save nothing left out.</summary>
    public static IReadOnlyList<Saving> SavingsOf(FromInventory from, CarryRules rules, FolderMap map, int thisYear)
    {
        var landing = map.Landings.Where(l => l.To is not null).Select(l => l.From.Path.ToString()).ToHashSet();
        var carried = from.Folders.Where(f => landing.Contains(f.Path)).ToList();
        var savings = new List<Saving>();
        void Note(FindingCode code, Resolution way, string? value, IEnumerable<(long Messages, ByteCount Octets)> saved)
        {
            var (messages, octets) = saved.Aggregate((0L, ByteCount.Zero), (sum, s) => (sum.Item1 + s.Messages, sum.Item2 + s.Octets));
            if (messages > 0)
                savings.Add(new Saving(code, way, value, messages, octets));
        }
        Note(
            FindingCode.TidyTrash,
            Resolution.LeaveTrash,
            null,
            carried.Where(f => f.Use is SpecialUse.Trash).Select(f => f.Under(rules.Mail))
        );
        Note(
            FindingCode.TidyJunk,
            Resolution.LeaveJunk,
            null,
            carried.Where(f => f.Use is SpecialUse.Junk).Select(f => f.Under(rules.Mail))
        );
        foreach (
            var since in s_yearsAgo.Select(years => new LocalDate(thisYear - years, 1, 1)).Where(since => !(rules.Mail.Since >= since))
        )
            Note(
                FindingCode.TidyOld,
                Resolution.Since,
                NodaTime.Text.LocalDatePattern.Iso.Format(since),
                carried.Select(f => Difference(f, rules.Mail, rules.Mail with { Since = since }))
            );
        foreach (var size in s_large.Where(size => !(rules.Mail.Largest <= size)))
            Note(
                FindingCode.TidyLarge,
                Resolution.Largest,
                $"{size.Count / 1_000_000}MB",
                carried.Select(f => Difference(f, rules.Mail, rules.Mail with { Largest = size }))
            );
        return savings;
    }

    private static (long, ByteCount) Difference(FolderInventory folder, MailRules now, MailRules then)
    {
        var (a, b) = (folder.Under(now), folder.Under(then));
        return (a.Messages - b.Messages, a.Octets.Less(b.Octets));
    }
}
