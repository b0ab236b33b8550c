using System.Collections.Immutable;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Surveying;

/// <summary>One side of a survey: how to get in, or why that is not known.</summary>
public sealed record SurveySide(Service Service, Credentials? Credentials, Fault? Fault);

/// <param name="Rules">The rules in force: their boundaries are counted exactly.</param>
/// <param name="Forwarding">Reads what the mail rules do on the from side; null where the service has no such connection.</param>
public sealed record SurveyOrder(
    SurveySide From,
    SurveySide To,
    CarryRules Rules,
    Func<Credentials, CancellationToken, Task<SieveFacts>>? Forwarding
);

/// <summary>Looks at both accounts of a move without touching them.</summary>
public sealed class Survey(IMailAccounts accounts, SurveyOrder order, Tally tally, TimeProvider time)
{
    /// <summary>Messages whose index is held at a time.</summary>
    private const int Slice = 10_000;

    /// <summary>Largest messages of an account that are named.</summary>
    private const int MostLargest = 10;

    /// <exception cref="FaultException">
    /// Something passed that will pass by itself: the survey is to be tried again. What needs a person is in the inventory instead.
    /// </exception>
    public async Task<Inventory> TakeAsync(CancellationToken cancel)
    {
        var now = time.GetUtcNow();
        // Each side by itself: a person who is told of one closed door only would come back for the other.
        var (to, toFault) = await LookAsync(order.To, LookAtToAsync, cancel);
        var limit = to?.LargestMessage ?? order.To.Service.Limits.LargestMessage;
        var (from, fromFault) = await LookAsync(order.From, (account, side, c) => LookAtFromAsync(account, side, limit, now, c), cancel);
        return new Inventory(now, from, fromFault, to, toFault);
    }

    private async Task<(T?, Fault?)> LookAsync<T>(
        SurveySide side,
        Func<IMailAccount, SurveySide, CancellationToken, Task<T>> look,
        CancellationToken cancel
    )
        where T : class
    {
        if (side.Fault is not null)
            return (null, side.Fault);
        try
        {
            await using var account = await accounts.OpenAsync(side.Service, side.Credentials!, cancel);
            return (await look(account, side, cancel), null);
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            return (null, e.Fault);
        }
    }

    private async Task<FromInventory> LookAtFromAsync(
        IMailAccount account,
        SurveySide side,
        ByteCount? limit,
        DateTimeOffset now,
        CancellationToken cancel
    )
    {
        var folders = await account.ListFoldersAsync(cancel);
        tally.Expect(folders.Sum(f => f.Cursor?.Count ?? 0));
        var room = await account.ReadRoomAsync(cancel);
        LocalDate[] days = [.. new[] { order.Rules.Mail.Since, order.Rules.Mail.Before }.OfType<LocalDate>()];
        var sizes = InventoryBuilder.SizesFor([limit, order.Rules.Mail.Largest]);
        var inventories = ImmutableArray.CreateBuilder<FolderInventory>(folders.Count);
        var largest = new List<(FolderPath Folder, ItemInfo Item)>();
        foreach (var folder in folders)
        {
            tally.Folder = folder.Path.ToString();
            var builder = new InventoryBuilder(folder, now, days, sizes, MostLargest);
            string? unreadable = null;
            try
            {
                if (folder.Selectable && folder.Cursor?.Count != 0)
                    await ReadIndexAsync(account, folder, builder, cancel);
            }
            catch (FaultException e) when (e.Verdict is Verdict.Keep && e.Fault.Action is not FaultAction.RetryLater)
            {
                unreadable = e.Fault.What;
            }
            inventories.Add(builder.Build(unreadable));
            largest.AddRange(builder.Largest.Select(i => (folder.Path, i)));
        }
        var heaviest = largest.OrderByDescending(l => l.Item.Size).Take(MostLargest).ToList();
        var named = await NameAsync(account, heaviest, cancel);
        var rules = await ReadRulesAsync(side, cancel);
        return new FromInventory(inventories.ToImmutable(), named, room, rules?.Addresses)
        {
            OwnRules = rules is null ? null : OwnRules.Of(rules),
            Remarks = [.. account.Remarks],
        };
    }

    private async Task ReadIndexAsync(IMailAccount account, FolderState folder, InventoryBuilder builder, CancellationToken cancel)
    {
        foreach (var slice in (await account.ListNumbersAsync(folder.Path, cancel)).Slices(Slice))
        {
            var unreadable = new Dictionary<uint, Fault>();
            foreach (var item in await account.ListItemsAsync(folder.Path, slice, unreadable, cancel))
                builder.Add(item);
            builder.AddUnreadable(unreadable.Count);
            tally.Look(slice.Count);
        }
    }

    private static async Task<ImmutableArray<LargeMessage>> NameAsync(
        IMailAccount account,
        List<(FolderPath Folder, ItemInfo Item)> messages,
        CancellationToken cancel
    )
    {
        var named = new List<LargeMessage>();
        foreach (var folder in messages.GroupBy(m => m.Folder))
        {
            var labels = new Dictionary<uint, (string Subject, string Sender)>();
            await account.ReadHeadersAsync(
                folder.Key,
                new NumberSet(folder.Select(m => m.Item.Number)),
                h => labels[h.Number] = MessageLabel.Read(h.Header),
                cancel
            );
            foreach (var (_, item) in folder)
            {
                var (subject, sender) = labels.GetValueOrDefault(item.Number, ("", ""));
                named.Add(new LargeMessage(folder.Key.ToString(), item.Size, item.Received, subject, sender));
            }
        }
        return [.. named.OrderByDescending(m => m.Octets)];
    }

    private async Task<SieveFacts?> ReadRulesAsync(SurveySide side, CancellationToken cancel)
    {
        if (order.Forwarding is null)
            return null;
        try
        {
            return await order.Forwarding(side.Credentials!, cancel);
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            return null;
        }
    }

    private static async Task<ToInventory> LookAtToAsync(IMailAccount account, SurveySide side, CancellationToken cancel)
    {
        var folders = await account.ListFoldersAsync(cancel);
        var room = await account.ReadRoomAsync(cancel);
        var keywords = await account.KeepsKeywordsAsync(cancel);
        var lacks = await account.ReadLackingRightsAsync(folders, cancel);
        var limits = new[] { account.Traits.LargestMessage, side.Service.Limits.LargestMessage };
        return new ToInventory(
            [.. folders.Select(f => new ToFolder(f.Path.ToString(), f.Use, f.Selectable, f.Cursor?.Count ?? 0))],
            account.Traits.Separator,
            limits.Min(),
            room,
            keywords,
            [.. lacks]
        );
    }
}
