using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using EasyCaravan.Core.Formats.Csv;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Files with contacts or events that were handed over, so that every instance of the service reads the same ones.</summary>
public sealed class ItemFiles(Database database, Journal journal, TimeProvider time) : IItemFiles
{
    public async Task<IReadOnlyList<ItemFileState>> FindAsync(string pattern, CancellationToken cancel)
    {
        var start = pattern.Split('*')[0];
        await using var db = database.Read();
        var rows = await Listed(db.ItemFiles.Where(f => f.Name.StartsWith(start)).OrderBy(f => f.Name)).ToListAsync(cancel);
        var fits = FileGlob.Of(pattern);
        return [.. rows.Where(r => fits.IsMatch(r.Name)).Select(StateOf)];
    }

    /// <summary>Those after this name, in their order.</summary>
    public async Task<IReadOnlyList<ItemFileState>> ListAsync(string? after, int most, CancellationToken cancel)
    {
        await using var db = database.Read();
        var files = db.ItemFiles.AsQueryable();
        if (after is not null)
            files = files.Where(f => string.Compare(f.Name, after) > 0);
        return [.. (await Listed(files.OrderBy(f => f.Name)).Take(most).ToListAsync(cancel)).Select(StateOf)];
    }

    public async Task<ItemFileState?> FindOneAsync(string name, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await Listed(db.ItemFiles.Where(f => f.Name == name)).FirstOrDefaultAsync(cancel) is { } row ? StateOf(row) : null;
    }

    public async Task<ReadOnlyMemory<byte>?> ReadAsync(string name, CancellationToken cancel)
    {
        await using var db = database.Read();
        var row = await db.ItemFiles.Where(f => f.Name == name).Select(f => new { f.Packed, f.Length }).FirstOrDefaultAsync(cancel);
        if (row is null)
            return null;
        var octets = new byte[row.Length];
        await using var unpacking = new BrotliStream(new MemoryStream(row.Packed), CompressionMode.Decompress);
        await unpacking.ReadExactlyAsync(octets, cancel);
        return octets;
    }

    /// <summary>Keeps a file in place of one of the same name. What was chosen for its columns stays.</summary>
    public async Task<ItemFileState> KeepAsync(string name, ReadOnlyMemory<byte> octets, string who, CancellationToken cancel)
    {
        var packed = new MemoryStream();
        await using (var packing = new BrotliStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            await packing.WriteAsync(octets, cancel);
        var digest = Convert.ToHexStringLower(SHA256.HashData(octets.Span));
        ItemFileRow? kept = null;
        await database.WriteAsync(
            async db =>
            {
                kept = await db.ItemFiles.AsTracking().FirstOrDefaultAsync(f => f.Name == name, cancel);
                if (kept is null)
                    db.ItemFiles.Add(
                        kept = new ItemFileRow
                        {
                            Name = name,
                            Packed = [],
                            Digest = "",
                        }
                    );
                if (kept.Digest != digest)
                {
                    journal.Add(
                        db,
                        who,
                        null,
                        null,
                        $"{(kept.Digest == "" ? "handed over" : "replaced")} the file {name} ({new ByteCount(octets.Length)})"
                    );
                    (kept.ReadAs, kept.Title, kept.Items) = (null, null, 0);
                }
                (kept.Packed, kept.Length, kept.Digest) = (packed.ToArray(), octets.Length, digest);
                kept.ReceivedAt = time.GetUtcNow().ToUnixTimeMilliseconds();
            },
            cancel
        );
        return StateOf(kept!);
    }

    public Task KeepOutlinesAsync(IReadOnlyCollection<ItemFileState> read, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                foreach (var file in read)
                    if (file.Outline is { } found)
                        await db
                            .ItemFiles.Where(f => f.Name == file.Name && f.Digest == file.Digest)
                            .ExecuteUpdateAsync(
                                s =>
                                    s.SetProperty(f => f.ReadAs, found.Format)
                                        .SetProperty(f => f.Title, found.Title)
                                        .SetProperty(f => f.Items, found.Items),
                                cancel
                            );
            },
            cancel
        );

    /// <returns>False: there is no such file.</returns>
    public Task<bool> ChooseColumnsAsync(string name, IReadOnlyDictionary<string, ColumnUse> columns, string who, CancellationToken cancel)
    {
        var said = columns.Count == 0 ? "as guessed" : string.Join(", ", columns.Select(c => $"'{c.Key}' holds {c.Value}"));
        var json = JsonSerializer.Serialize(columns.ToDictionary(c => c.Key, c => c.Value.ToString()));
        return ChangedAsync(
            db => db.ItemFiles.Where(f => f.Name == name).ExecuteUpdateAsync(s => s.SetProperty(f => f.ColumnsJson, json), cancel),
            who,
            $"said of the columns of {name}: {said}",
            cancel
        );
    }

    /// <returns>False: there is no such file.</returns>
    public Task<bool> ForgetAsync(string name, string who, CancellationToken cancel) =>
        ChangedAsync(
            db => db.ItemFiles.Where(f => f.Name == name).ExecuteDeleteAsync(cancel),
            who,
            $"deleted the file {name} that was handed over",
            cancel
        );

    private Task<bool> ChangedAsync(Func<CaravanDb, Task<int>> change, string who, string entry, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                if (await change(db) == 0)
                    return false;
                journal.Add(db, who, null, null, entry);
                return true;
            },
            cancel
        );

    /// <summary>Without their content.</summary>
    private static IQueryable<ItemFileRow> Listed(IQueryable<ItemFileRow> files) =>
        files.Select(f => new ItemFileRow
        {
            Name = f.Name,
            Packed = Array.Empty<byte>(),
            Length = f.Length,
            Digest = f.Digest,
            ReceivedAt = f.ReceivedAt,
            ColumnsJson = f.ColumnsJson,
            ReadAs = f.ReadAs,
            Title = f.Title,
            Items = f.Items,
        });

    private static ItemFileState StateOf(ItemFileRow row)
    {
        var columns = row.ColumnsJson is { } json ? JsonSerializer.Deserialize<Dictionary<string, string>>(json)! : [];
        return new ItemFileState(
            row.Name,
            row.Length,
            row.Digest,
            DateTimeOffset.FromUnixTimeMilliseconds(row.ReceivedAt),
            columns.ToDictionary(c => c.Key, c => ColumnUse.Parse(c.Value)!.Value)
        )
        {
            Outline = row.ReadAs is { } format ? new ItemFileOutline(format, row.Title, row.Items) : null,
        };
    }
}
