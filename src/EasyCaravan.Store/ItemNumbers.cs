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
                var known = await db
                    .ItemNames.Where(n => n.Service == service && n.Account == account)
                    .ToDictionaryAsync(n => n.Name, n => n.Number, cancel);
                var next = known.Count == 0 ? 1 : known.Values.Max() + 1;
                foreach (var name in names.Where(n => !known.ContainsKey(n)).Distinct().ToList())
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
