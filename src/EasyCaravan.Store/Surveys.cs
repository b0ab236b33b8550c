using System.Text.Json;
using System.Text.Json.Serialization;
using EasyCaravan.Core.Carrying;
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
