using System.Collections.Immutable;
using System.Data.Common;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>
/// Adds people who have not begun to move, with a statement that is prepared once: row by row through the change tracker, 50,000 would take
/// half a minute. The same words serve SQLite and PostgreSQL.
/// </summary>
internal static class NewMoves
{
    private static readonly string[] s_texts =
    [
        nameof(MoveRow.Batch),
        nameof(MoveRow.Name),
        nameof(MoveRow.FromAccount),
        nameof(MoveRow.ToAccount),
        nameof(MoveRow.FromLogin),
        nameof(MoveRow.ToLogin),
        nameof(MoveRow.FromSecret),
        nameof(MoveRow.ToSecret),
        nameof(MoveRow.FromSecretReference),
        nameof(MoveRow.ToSecretReference),
        nameof(MoveRow.ToUnder),
        nameof(MoveRow.ToRoot),
        nameof(MoveRow.Note),
        nameof(MoveRow.Language),
        nameof(MoveRow.Notify),
        nameof(MoveRow.ForwardTo),
    ];

    /// <summary>All are 0: listed, idle, and nothing counted.</summary>
    private static readonly string[] s_zeros =
    [
        nameof(MoveRow.Stage),
        nameof(MoveRow.Condition),
        nameof(MoveRow.Attempts),
        nameof(MoveRow.Handicap),
        nameof(MoveRow.Fence),
        nameof(MoveRow.Found),
        nameof(MoveRow.Carried),
        nameof(MoveRow.Paired),
        nameof(MoveRow.Excluded),
        nameof(MoveRow.LeftBehind),
        nameof(MoveRow.OpenLeftBehind),
        nameof(MoveRow.Undecided),
        nameof(MoveRow.Octets),
    ];

    private static readonly string s_insert =
        $"INSERT INTO moves ({Names([.. s_texts, nameof(MoveRow.ChangedAt), .. s_zeros])}) VALUES "
        + $"({string.Join(", ", s_texts.Select((_, i) => $"@t{i}"))}, @now, {string.Join(", ", s_zeros.Select(_ => "0"))})";

    /// <summary>Within the transaction that is under way.</summary>
    public static async Task InsertAsync(
        CaravanDb db,
        string batch,
        IReadOnlyList<MoveRow> rows,
        ImmutableArray<Kind> carry,
        Instant now,
        CancellationToken cancel
    )
    {
        if (rows.Count == 0)
            return;
        var lastBefore = await db.Moves.MaxAsync(m => (long?)m.Id, cancel) ?? 0;
        await using var command = db.Database.GetDbConnection().CreateCommand();
        command.Transaction = db.Database.CurrentTransaction!.GetDbTransaction();
        command.CommandText = s_insert;
        var texts = s_texts.Select((_, i) => Parameter(command, $"t{i}")).ToArray();
        Parameter(command, "now").Value = now.ToUnixTimeMilliseconds();
        foreach (var row in rows)
        {
            string?[] values =
            [
                row.Batch,
                row.Name,
                row.FromAccount,
                row.ToAccount,
                row.FromLogin,
                row.ToLogin,
                row.FromSecret,
                row.ToSecret,
                row.FromSecretReference,
                row.ToSecretReference,
                row.ToUnder,
                row.ToRoot,
                row.Note,
                row.Language,
                row.Notify,
                row.ForwardTo,
            ];
            for (var i = 0; i < values.Length; i++)
                texts[i].Value = (object?)values[i] ?? DBNull.Value;
            await command.ExecuteNonQueryAsync(cancel);
        }
        for (var position = 0; position < carry.Length; position++)
            await db.Database.ExecuteSqlAsync(
                $"""
                INSERT INTO legs ("MoveId", "Kind", "Position", "Stage", "Attempts", "Found", "Carried", "Paired", "Excluded", "LeftBehind",
                    "OpenLeftBehind", "Undecided", "Octets")
                SELECT m."Id", {(int)carry[position]}, {position}, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0 FROM moves m
                WHERE m."Batch" = {batch} AND m."Id" > {lastBefore}
                """,
                cancel
            );
    }

    private static DbParameter Parameter(DbCommand command, string name)
    {
        var parameter = command.CreateParameter();
        parameter.ParameterName = name;
        command.Parameters.Add(parameter);
        return parameter;
    }

    private static string Names(IEnumerable<string> columns) => string.Join(", ", columns.Select(c => $"\"{c}\""));
}
