using System.Data.Common;
using System.Globalization;
using System.Text;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage;

namespace EasyCaravan.Store;

/// <summary>Writes many small rows with few statements: one for each would cost more than all the rest of a pass. The same words serve SQLite and PostgreSQL.</summary>
/// <param name="table">Its name.</param>
/// <param name="key">Columns that tell rows apart; a row that is there is overwritten.</param>
/// <param name="values">The other columns.</param>
internal sealed class ManyRows(string table, string[] key, string[] values)
{
    /// <summary>Rows in one statement: times six parameters well below every provider's limit.</summary>
    private const int RowsPerStatement = 200;

    private readonly string[] _columns = [.. key, .. values];
    private string? _full;

    /// <summary>Within the transaction that is under way.</summary>
    /// <param name="rows">Values in the order of the key's and the other columns; null becomes NULL.</param>
    public async Task WriteAsync(CaravanDb db, IEnumerable<object?[]> rows, CancellationToken cancel)
    {
        foreach (var some in rows.Chunk(RowsPerStatement))
        {
            await using var command = db.Database.GetDbConnection().CreateCommand();
            command.Transaction = db.Database.CurrentTransaction!.GetDbTransaction();
            command.CommandText = some.Length == RowsPerStatement ? _full ??= StatementFor(RowsPerStatement) : StatementFor(some.Length);
            for (var row = 0; row < some.Length; row++)
                for (var column = 0; column < _columns.Length; column++) Add(command, $"p{row}_{column}", some[row][column] ?? DBNull.Value);
            await command.ExecuteNonQueryAsync(cancel);
        }
    }

    private string StatementFor(int rows)
    {
        var sql = new StringBuilder($"INSERT INTO {table} ({string.Join(", ", _columns)}) VALUES ");
        for (var row = 0; row < rows; row++)
            sql.Append(row > 0 ? "," : "").Append('(').AppendJoin(',', _columns.Select((_, column) => string.Create(CultureInfo.InvariantCulture, $"@p{row}_{column}"))).Append(')');
        return sql.Append($" ON CONFLICT ({string.Join(", ", key)}) DO UPDATE SET ").AppendJoin(", ", values.Select(v => $"{v} = excluded.{v}")).ToString();
    }

    private static void Add(DbCommand command, string name, object value)
    {
        var parameter = command.CreateParameter();
        (parameter.ParameterName, parameter.Value) = (name, value);
        command.Parameters.Add(parameter);
    }
}
