using EasyCaravan.Contract;

namespace EasyCaravan.Service.Proof;

/// <summary>What is known of the crossing of one person of a waybill.</summary>
/// <param name="ForwardingOnAt">Since when the old address forwards; null: it does not, or nobody knows.</param>
public sealed record WaybillEvidence(CrossingView Crossing, DateTimeOffset? ForwardingOnAt, bool ForwardsByRule);
