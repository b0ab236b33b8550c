using System.Text;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Proof;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>The waybill with all that proves it, sealed so that a later change shows.</summary>
internal static class SealedWaybillApi
{
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/batches/{batch}/waybill/sealed", GetAsync)
            .WithSummary("The proof for a batch in lines that depend on each other, signed: it can be checked without the service");

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        InstallationKey key,
        TimeProvider time,
        CancellationToken cancel,
        string? move = null
    )
    {
        var (waybill, problem) = await WaybillApi.LoadAsync(batch, move, current, database, time, cancel);
        if (waybill is null)
            return problem!;
        var planned = (await current.GetAsync(cancel)).Plan?.Batches.FirstOrDefault(b => b.Name == batch);
        var entries = await EntriesAsync(planned, waybill, database, time, cancel);
        var header = new Dictionary<string, string>
        {
            ["batch"] = batch,
            ["from"] = waybill.From,
            ["to"] = waybill.To,
            ["drawnAt"] = waybill.DrawnAt.ToString("O"),
            ["sentence"] = waybill.Sentence,
        };
        var text = new StringBuilder();
        foreach (var line in WaybillSeal.Seal(header, entries, key.Get()))
            text.Append(line).Append('\n');
        return TypedResults.File(Encoding.UTF8.GetBytes(text.ToString()), "application/jsonl", $"waybill-{batch}.jsonl");
    }

    private static async Task<List<string>> EntriesAsync(
        Batch? planned,
        BatchWaybill waybill,
        Database database,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var entries = new List<string>();
        void Add(string entry, string account, object what) =>
            entries.Add(
                JsonSerializer.Serialize(
                    new
                    {
                        entry,
                        account,
                        what,
                    },
                    ContractJson.Options
                )
            );
        await using var db = database.Read();
        var proof = await WaybillProof.LoadAsync(db, waybill, planned, Instant.FromDateTimeOffset(time.GetUtcNow()), cancel);
        var ids = proof.Accounts.Keys.ToList();
        // All of them: what a page shows ends with the newest few hundred.
        var probes = (await db.Probes.Where(p => ids.Contains(p.MoveId)).OrderBy(p => p.Id).ToListAsync(cancel)).ToLookup(p =>
            proof.Accounts[p.MoveId]
        );
        var acts = (await db.CrossingActs.Where(a => ids.Contains(a.MoveId)).OrderBy(a => a.Id).ToListAsync(cancel)).ToLookup(a =>
            proof.Accounts[a.MoveId]
        );
        var items = await ItemsAsync(db, proof.Accounts, cancel);
        foreach (var decision in proof.Decisions)
            Add("decision", "", decision);
        foreach (var move in waybill.Moves)
        {
            Add("move", move.Account, move with { Folders = [], LeftBehind = [], Differences = [] });
            foreach (var folder in move.Folders)
                Add("folder", move.Account, folder);
            foreach (var folder in items[move.Account])
                Add("items", move.Account, folder);
            foreach (var item in move.LeftBehind)
                Add("left-behind", move.Account, item);
            foreach (var difference in move.Differences)
                Add("difference", move.Account, difference);
            if (proof.Times.TryGetValue(move.Account, out var times))
                Add("times", move.Account, times);
            if (!proof.Crossings.TryGetValue(move.Account, out var evidence))
                continue;
            Add("crossing", move.Account, evidence.Crossing with { Gates = [], Probes = [] });
            foreach (var gate in evidence.Crossing.Gates)
                Add("gate", move.Account, gate);
            foreach (var probe in probes[move.Account])
                Add("probe", move.Account, CrossingViews.ViewOf(probe));
            foreach (var act in acts[move.Account])
                Add("act", move.Account, CrossingViews.ViewOf(act));
        }
        return entries;
    }

    /// <summary>What became of each item, by account.</summary>
    private static async Task<ILookup<string, SealedItems>> ItemsAsync(
        CaravanDb db,
        IReadOnlyDictionary<long, string> accounts,
        CancellationToken cancel
    )
    {
        var items = new List<(string Account, SealedItems Items)>();
        await foreach (var (move, folder) in SealedItems.ReadAsync(db, [.. accounts.Keys], cancel))
            items.Add((accounts[move], folder));
        return items.ToLookup(i => i.Account, i => i.Items);
    }
}
