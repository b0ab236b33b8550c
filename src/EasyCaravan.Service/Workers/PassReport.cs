using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Workers;

/// <summary>How a pass ended, in sentences for the journal: one for each kind that ran.</summary>
internal sealed class PassReport(Database database)
{
    /// <summary>How a survey or comparison ended.</summary>
    public static string DescribeLook(Claim claim, Tally tally, PassEnd end) =>
        Describe(WordOf(claim.State.Wanted!.Value), tally, end.Fault, end.Stopped, "nothing seen");

    private static string WordOf(PassKind look) =>
        look switch
        {
            PassKind.Survey => "survey",
            PassKind.Compare => "comparison",
            PassKind.TakeBack => "take-back",
            PassKind.TakeBackCheck => "dry run of a take-back",
            PassKind.Crossing => "crossing",
            PassKind.First or PassKind.CatchUp or PassKind.Closing or PassKind.Straggler => throw new ArgumentOutOfRangeException(
                nameof(look),
                look,
                "It carries, leg by leg."
            ),
        };

    /// <param name="end">Null: the pass was stopped before the leg came to its end.</param>
    public async Task<string> DescribeLegAsync(Claim claim, Tally tally, LegEnd? end)
    {
        var isFirst = claim.State.Legs.First(l => l.Kind == tally.Kind).Stage is not Stage.InStep;
        // With only one kind, the kind is not named.
        var of = claim.State.Legs.Length > 1 ? $"{KebabWord.Of(tally.Kind)}, " : "";
        var sentence = Describe($"{of}{WordOf(claim, isFirst)} pass", tally, end?.Fault, end is null, "nothing new");
        return isFirst && end is { Fault: null } ? $"{sentence}; {await SumAsync(claim, tally.Kind)}" : sentence;
    }

    private static string WordOf(Claim claim, bool isFirst) =>
        isFirst ? "first"
        : claim.State.Wanted is { } wanted and (PassKind.Closing or PassKind.Straggler) ? KebabWord.Of(wanted)
        : "catch-up";

    /// <summary>A first pass that was broken off and went on tells what it carried in all, not just what was left to do.</summary>
    private async Task<string> SumAsync(Claim claim, Kind kind)
    {
        await using var db = database.Read();
        var row = await db.Legs.FirstAsync(l => l.MoveId == claim.Person.Id && l.Kind == kind);
        return $"in all {row.Carried} carried ({new ByteCount(row.Octets)}), {row.Paired} paired, {row.Excluded} excluded, "
            + $"{row.LeftBehind} left behind of {row.Found} found";
    }

    private static string Describe(string pass, Tally tally, Core.Pacing.Fault? fault, bool stopped, string nothing)
    {
        var did = new List<string>();
        if (tally.Looked > 0)
            did.Add($"{tally.Looked} items seen");
        if (tally.Carried > 0)
            did.Add($"{tally.Carried} carried ({tally.Octets})");
        if (tally.Paired > 0)
            did.Add($"{tally.Paired} paired");
        if (tally.Excluded > 0)
            did.Add($"{tally.Excluded} excluded");
        if (tally.LeftBehind > 0)
            did.Add($"{tally.LeftBehind} left behind");
        if (tally.Moved > 0)
            did.Add($"{tally.Moved} moved");
        if (tally.Updated > 0)
            did.Add($"{tally.Updated} updated");
        if (tally.Removed > 0)
            did.Add($"{tally.Removed} deleted");
        if (tally.FlagsChanged > 0)
            did.Add($"{tally.FlagsChanged} with changed flags");
        if (tally.Differences > 0)
            did.Add($"{tally.Differences} differ between the sides");
        var sum = did.Count == 0 ? nothing : string.Join(", ", did);
        if (fault is not null)
            return $"{pass} stopped by a fault after {sum}: {fault}";
        return stopped ? $"{pass} stopped after {sum}; it goes on from there" : $"{pass} ended: {sum}";
    }
}
