using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Of the messages that a pass has copied, the few of each folder that are read back afterwards without anybody asking: those that a
/// service is most likely to alter, and the largest. A service that alters is then found in the first account, not after the crossing.
/// </summary>
internal sealed class ReadBackSample
{
    /// <summary>Of each peculiarity, in each folder.</summary>
    private const int OfEachKind = 2;

    /// <summary>Messages of one pass that are read back.</summary>
    private const int Most = 60;

    /// <summary>One that is larger would take longer to read back than it is worth.</summary>
    private static readonly ByteCount s_largest = new(8 * 1024 * 1024);

    /// <summary>Folders of which the largest message is read back.</summary>
    private const int FoldersWithLargest = 8;

    /// <summary>Over all folders, of those whose bodies nobody saw. A pass over a bad line has to get through with them.</summary>
    private const int MostUnseen = 8;

    /// <summary>One that is larger is not read back on a mere chance.</summary>
    private static readonly ByteCount s_largestUnseen = new(256 * 1024);

    private sealed class OfFolder
    {
        public (uint Number, ByteCount Size) Largest { get; set; }

        public List<uint> Wide { get; } = [];

        public List<uint> Nul { get; } = [];

        public List<uint> BareEnds { get; } = [];

        public List<uint> OpenEnds { get; } = [];
    }

    private readonly Lock _lock = new();
    private readonly Dictionary<long, OfFolder> _folders = [];
    private readonly List<(long Page, uint Number)> _unseen = [];

    public void Offer(LedgerFolder page, uint number, ByteCount size, PeculiarOctets octets)
    {
        if (size > s_largest)
            return;
        lock (_lock)
        {
            var folder = FolderOf(page);
            if (size > folder.Largest.Size)
                folder.Largest = (number, size);
            if (octets.HasWideHeader && folder.Wide.Count < OfEachKind)
                folder.Wide.Add(number);
            if (octets.HasNul && folder.Nul.Count < OfEachKind)
                folder.Nul.Add(number);
            if (octets.HasOpenEnd && folder.OpenEnds.Count < OfEachKind)
                folder.OpenEnds.Add(number);
            if (octets.HasBareLineEnd && folder.BareEnds.Count < OfEachKind)
                folder.BareEnds.Add(number);
        }
    }

    /// <summary>
    /// A message of which only the header passed by: nobody knows what its body holds, so a few of them are read back whatever they are.
    /// </summary>
    public void OfferHeader(LedgerFolder page, uint number, ByteCount size, ReadOnlySpan<byte> header)
    {
        var octets = new PeculiarOctets();
        octets.Take(header);
        lock (_lock)
        {
            if (octets.HasWideHeader && size <= s_largest && FolderOf(page).Wide is { Count: < OfEachKind } wide)
                wide.Add(number);
            else if (size <= s_largestUnseen && _unseen.Count < MostUnseen)
                _unseen.Add((page.Id, number));
        }
    }

    private OfFolder FolderOf(LedgerFolder page)
    {
        if (!_folders.TryGetValue(page.Id, out var folder))
            _folders[page.Id] = folder = new OfFolder();
        return folder;
    }

    /// <summary>The messages by page, the peculiar ones first.</summary>
    public IReadOnlyList<(long Page, NumberSet Numbers)> Choose()
    {
        lock (_lock)
        {
            var peculiar = _folders.SelectMany(f =>
                f.Value.Wide.Concat(f.Value.Nul).Concat(f.Value.BareEnds).Concat(f.Value.OpenEnds).Select(n => (Page: f.Key, Number: n))
            );
            var largest = _folders
                .Where(f => f.Value.Largest.Size > ByteCount.Zero)
                .OrderByDescending(f => f.Value.Largest.Size)
                .Take(FoldersWithLargest)
                .Select(f => (Page: f.Key, f.Value.Largest.Number));
            return
            [
                .. peculiar
                    .Concat(largest)
                    .Concat(_unseen)
                    .Distinct()
                    .Take(Most)
                    .GroupBy(c => c.Page)
                    .Select(g => (g.Key, new NumberSet(g.Select(c => c.Number)))),
            ];
        }
    }
}
