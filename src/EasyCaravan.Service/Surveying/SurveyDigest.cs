using System.Collections.Immutable;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;

namespace EasyCaravan.Service.Surveying;

/// <summary>A finding with what was decided about it.</summary>
internal sealed record DigestedFinding(Finding Finding, Decision? Decision);

/// <summary>Folders that one rule decided for one person.</summary>
internal sealed record DigestedRule(string Rule, bool Leaves, int Folders, long Messages);

/// <summary>Contacts or calendars of one person: what is there, and what of it is to be carried.</summary>
internal sealed record DigestedKind(KindVolume Found, KindVolume Carry);

/// <summary>What lists and sums over a batch need of one person's survey: small, where the inventory may be large.</summary>
/// <param name="Folders">Those that can hold messages.</param>
internal sealed record SurveyDigest(
    DateTimeOffset TakenAt,
    bool Whole,
    ImmutableArray<DigestedFinding> Findings,
    int Folders,
    int Landing,
    int Changed,
    int Merged,
    ImmutableArray<DigestedRule> Rules,
    long CarryMessages,
    long CarryOctets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest,
    long Largest,
    long? FreeOctets,
    ImmutableArray<Saving> Savings,
    ImmutableArray<DigestedKind> Kinds,
    Fault? Fault
)
{
    public static SurveyDigest Make(
        Inventory inventory,
        CarryRules rules,
        Core.Planning.Service from,
        Core.Planning.Service to,
        IEnumerable<Decision> decisions
    )
    {
        var decided = Decision.InForce(decisions).ToDictionary(c => c.Code);
        var findings = Core
            .Surveying.Findings.Of(inventory, rules, from, to)
            .Select(f => new DigestedFinding(f, decided.GetValueOrDefault(f.Code)))
            .ToImmutableArray();
        var map = inventory.MapFor(rules, to.Names);
        var folders = inventory.From?.Folders.ToDictionary(f => f.Path);
        var landings = map?.Landings ?? [];
        var carried = map is null ? [] : CarryVolumes.Of(inventory.From!, map, rules.Mail).Values.ToList();
        return new SurveyDigest(
            inventory.TakenAt,
            inventory.IsWhole,
            findings,
            landings.Length,
            landings.Count(l => l.To is not null),
            landings.Count(l => !l.Shaped.IsEmpty && l.To is not null),
            landings.Count(l => l.MergesWith is not null),
            [
                .. landings
                    .GroupBy(l => (l.Rule, Leaves: l.To is null))
                    .Select(g => new DigestedRule(
                        g.Key.Rule,
                        g.Key.Leaves,
                        g.Count(),
                        g.Sum(l => folders![l.From.Path.ToString()].Messages)
                    )),
            ],
            carried.Sum(c => c.Messages),
            carried.Sum(c => c.Octets).Count,
            inventory.From?.Folders.Min(f => f.Oldest),
            inventory.From?.Folders.Max(f => f.Newest),
            inventory.From?.Largest.FirstOrDefault()?.Octets.Count ?? 0,
            inventory.To?.Room is { Octets: { } most } room ? most.Less(room.UsedOctets).Count : null,
            map is null ? [] : [.. Tidying.SavingsOf(inventory.From!, rules, map, inventory.TakenAt.Year)],
            [
                .. inventory.Kinds.Select(k => new DigestedKind(
                    new KindVolume(k.Kind, k.From.Length, k.From.Sum(c => c.Items), k.From.Sum(c => c.Octets)),
                    CarryVolumes.Of(k, k.Kind is Kind.Contacts ? rules.Contacts : rules.Calendars)
                )),
            ],
            inventory.Faults.FirstOrDefault()
        );
    }
}
