namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>How an item stands on the new side.</summary>
public enum ItemLikeness
{
    /// <summary>Octet for octet.</summary>
    Same,

    /// <summary>Written in another way: order, folding, who wrote it when, empty properties, something added. It means the same.</summary>
    Reshaped,

    /// <summary>Something that it said is lost or changed.</summary>
    Damaged,
}

/// <summary>What became of a statement.</summary>
public enum ItemChangeKind
{
    Lost,
    Changed,
    Added,
}

/// <summary>One statement that is not the same on both sides.</summary>
/// <param name="Place">The component that it stands in.</param>
/// <param name="Name">The property or component.</param>
/// <param name="Before">How it begins on the old side; null where it was added.</param>
/// <param name="After">How it begins on the new side; null where it is lost.</param>
public sealed record ItemChange(string Place, string Name, ItemChangeKind Kind, string? Before, string? After);

/// <summary>
/// An item as it was sent, set against what the server stored. An ETag proves nothing: servers rewrite objects and tell the same ETag
/// before and after.
/// </summary>
public sealed record ItemComparison(ItemLikeness Likeness, IReadOnlyList<ItemChange> Changes)
{
    public static ItemComparison Of(ItemForm sent, ItemForm stored)
    {
        if (sent.OctetDigest == stored.OctetDigest)
            return new ItemComparison(ItemLikeness.Same, []);
        var added = new List<ItemStatement>();
        var unmatched = sent.Statements.GroupBy(KeyOf).ToDictionary(g => g.Key, g => new Queue<ItemStatement>(g));
        foreach (var statement in stored.Statements)
            if (unmatched.TryGetValue(KeyOf(statement), out var same) && same.Count > 0)
                same.Dequeue();
            else
                added.Add(statement);
        var changes = new List<ItemChange>();
        // In the order in which the item was sent, so that people find their way.
        foreach (var lost in sent.Statements.Where(s => IsLeft(unmatched, s)))
        {
            // Another value of the same property in the same place is what became of it.
            var after = added.FindIndex(a => (a.Place, a.Name) == (lost.Place, lost.Name));
            if (after < 0)
                changes.Add(new ItemChange(lost.Place, lost.Name, ItemChangeKind.Lost, lost.Preview, null));
            else
            {
                changes.Add(new ItemChange(lost.Place, lost.Name, ItemChangeKind.Changed, lost.Preview, added[after].Preview));
                added.RemoveAt(after);
            }
        }
        var likeness = changes.Count > 0 ? ItemLikeness.Damaged : ItemLikeness.Reshaped;
        changes.AddRange(added.Select(a => new ItemChange(a.Place, a.Name, ItemChangeKind.Added, null, a.Preview)));
        return new ItemComparison(likeness, changes);
    }

    private static (string Place, string Name, UInt128 Digest) KeyOf(ItemStatement statement) =>
        (statement.Place, statement.Name, statement.Digest);

    /// <summary>Takes one of those that found nothing like it.</summary>
    private static bool IsLeft(Dictionary<(string, string, UInt128), Queue<ItemStatement>> unmatched, ItemStatement statement) =>
        unmatched[KeyOf(statement)].TryDequeue(out _);
}
