using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Numbers for items that services name by text, kept for good.</summary>
public sealed class ItemNumbers(Database database) : IItemNumbers
{
    public Task<IReadOnlyList<uint>> NumberAsync(string service, string account, IReadOnlyList<string> names, CancellationToken cancel) =>
        database.WriteAsync<IReadOnlyList<uint>>(
            async db =>
            {
                var own = db.ItemNames.Where(n => n.Service == service && n.Account == account);
                var known = await own.Where(n => EF.Parameter(names).Contains(n.Name))
                    .ToDictionaryAsync(n => n.Name, n => n.Number, cancel);
                var fresh = names.Where(n => !known.ContainsKey(n)).Distinct().ToList();
                var next = fresh.Count == 0 ? 0 : (await own.MaxAsync(n => (long?)n.Number, cancel) ?? 0) + 1;
                foreach (var name in fresh)
                {
                    db.ItemNames.Add(
                        new ItemNameRow
                        {
                            Service = service,
                            Account = account,
                            Name = name,
                            Number = next,
                        }
                    );
                    known[name] = next++;
                }
                return [.. names.Select(n => (uint)known[n])];
            },
            cancel
        );
}
