namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Folders that one lane takes together.</summary>
/// <param name="InTurn">
/// The folders are carried one after the other, because they land in one place and the second has to see what the first brought.
/// </param>
public sealed record FolderBatch(IReadOnlyList<FolderWork> Folders, bool InTurn = false)
{
    /// <summary>
    /// Messages of several folders in one batch: their index is held in memory meanwhile, and is read again if the pass breaks off.
    /// </summary>
    private const long MostMessages = 2_000;

    private const int MostFolders = 50;

    public long Messages => Folders.Sum(f => f.Messages);

    /// <summary>Small folders together, the others alone, largest first; folders that land in one place in turn.</summary>
    /// <param name="inOrder">Each alone, in the order in which messages that stand in several of them are looked for.</param>
    public static IEnumerable<FolderBatch> Pack(IReadOnlyList<FolderWork> work, bool inOrder)
    {
        var places = work.GroupBy(w => w.Landing.To?.ToString() ?? $"\0{w.Landing.From.Path}")
            .Select(g => new FolderBatch([.. g], InTurn: g.Count() > 1))
            .OrderByDescending(l => l.Messages)
            .ToList();
        if (inOrder)
            return places.OrderBy(l => MultiFolderMessages.Rank(l.Folders[0].Landing.From));
        var batches = new List<FolderBatch>();
        var together = new List<FolderWork>();
        foreach (var place in places)
        {
            if (place.InTurn || place.Messages > MostMessages)
            {
                batches.Add(place);
                continue;
            }
            if (together.Count == MostFolders || together.Sum(f => f.Messages) + place.Messages > MostMessages)
                Close();
            together.AddRange(place.Folders);
        }
        Close();
        return batches.OrderByDescending(l => l.Messages);

        void Close()
        {
            if (together.Count > 0)
                batches.Add(new FolderBatch([.. together]));
            together.Clear();
        }
    }
}
