using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>What is to be done for one page of the ledger in this pass.</summary>
/// <param name="Items">All that is known of it.</param>
/// <param name="ToRead">What is new, edited or unsettled on the from side.</param>
/// <param name="Gone">What was settled, and is on the from side no longer.</param>
/// <param name="Mark">What the from side held when this was found out.</param>
internal sealed record PageInHand(PageItems Items, Dictionary<Href, CollectionItem> ToRead, List<CollectionItem> Gone, CollectionMark Mark)
{
    /// <summary>What is there already and nobody claims.</summary>
    public Strangers Strangers { get; set; } = Strangers.None;

    /// <summary>Objects on the to side of items that were begun before, as they are now.</summary>
    public Dictionary<Href, StoredItem> Begun { get; } = [];

    /// <summary>What people chose of two versions, by number.</summary>
    public IReadOnlyDictionary<uint, VersionChoice> Choices { get; init; } = new Dictionary<uint, VersionChoice>();

    /// <summary>Objects on the from side. Parts of objects that had to be parted are counted beside them.</summary>
    public long Found { get; set; }

    /// <summary>Whatever is written sends nothing to anybody.</summary>
    public bool IsSilent { get; set; }
}
