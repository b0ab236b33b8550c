using System.IO.Compression;
using System.Text.Json;
using System.Text.Json.Serialization;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Serialization.SystemTextJson;

namespace EasyCaravan.Store;

/// <summary>What surveys found, one for each move.</summary>
public sealed class Surveys(Database database)
{
    private static readonly JsonSerializerOptions s_json = Json();

    public static Inventory InventoryOf(SurveyRow row) => JsonSerializer.Deserialize<Inventory>(row.InventoryJson, s_json)!;

    /// <summary>What would become of single contacts and events.</summary>
    public static IReadOnlyDictionary<Kind, ForecastLine[]> ForecastsOf(SurveyRow row)
    {
        if (row.ForecastsPacked is not { } packed)
            return new Dictionary<Kind, ForecastLine[]>();
        using var unpacking = new BrotliStream(new MemoryStream(packed), CompressionMode.Decompress);
        return JsonSerializer.Deserialize<Dictionary<Kind, ForecastLine[]>>(unpacking, s_json)!;
    }

    private static byte[]? Pack(Inventory inventory)
    {
        var lines = inventory.Kinds.Where(k => k.Lines.Length > 0).ToDictionary(k => k.Kind, k => k.Lines);
        if (lines.Count == 0)
            return null;
        var packed = new MemoryStream();
        using (var packing = new BrotliStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            JsonSerializer.Serialize(packing, lines, s_json);
        return packed.ToArray();
    }

    /// <summary>Replaces an earlier survey. Changes nothing when the claim's lease is lost.</summary>
    public Task SaveAsync(Claim claim, Inventory inventory, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                if (!await db.Moves.AnyAsync(m => m.Id == claim.Person.Id && m.Fence == claim.Fence && m.LeaseOwner == claim.Owner, cancel))
                    throw new LeaseLostException();
                var row = await db.Surveys.AsTracking().FirstOrDefaultAsync(s => s.MoveId == claim.Person.Id, cancel);
                if (row is null)
                    db.Surveys.Add(row = new SurveyRow { MoveId = claim.Person.Id, InventoryJson = "" });
                row.TakenAt = inventory.TakenAt.ToUnixTimeMilliseconds();
                (row.Messages, row.Octets, row.Folders) = (
                    inventory.From?.Messages ?? 0,
                    inventory.From?.Octets.Count ?? 0,
                    inventory.From?.Folders.Length ?? 0
                );
                (row.ToMessages, row.Whole) = (inventory.To?.Messages ?? 0, inventory.IsWhole);
                row.ForecastsPacked = Pack(inventory);
                row.InventoryJson = JsonSerializer.Serialize(inventory, s_json);
            },
            cancel
        );

    private static JsonSerializerOptions Json()
    {
        var options = new JsonSerializerOptions { DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull }.ConfigureForNodaTime(
            DateTimeZoneProviders.Tzdb
        );
        options.Converters.Add(new JsonStringEnumConverter());
        return options;
    }
}
