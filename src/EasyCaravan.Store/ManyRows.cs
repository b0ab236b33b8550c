using System.Globalization;
using System.Text;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// Writes many small rows of numbers with few statements: one for each would cost more than all the rest of a pass. The same words serve
/// SQLite and PostgreSQL.
/// </summary>
/// <remarks>
/// Numbers stand in the statement itself. As parameters they would be looked up by name one by one, which costs the square of their count.
/// </remarks>
/// <param name="table">Its name.</param>
/// <param name="key">Columns that tell rows apart; a row that is there is overwritten.</param>
/// <param name="values">The other columns.</param>
internal sealed class ManyRows(string table, string[] key, string[] values)
{
    private const int RowsPerStatement = 500;

    private readonly string _before = $"INSERT INTO {table} ({string.Join(", ", key.Concat(values))}) VALUES ";
    private readonly string _after =
        $" ON CONFLICT ({string.Join(", ", key)}) DO UPDATE SET {string.Join(", ", values.Select(v => $"{v} = excluded.{v}"))}";

    /// <summary>Within the transaction that is under way.</summary>
    /// <param name="write">Writes one row's numbers, in the order of the key's and the other columns.</param>
    public async Task WriteAsync<T>(CaravanDb db, IEnumerable<T> rows, Action<T, Row> write, CancellationToken cancel)
    {
        var sql = new StringBuilder();
        foreach (var some in rows.Chunk(RowsPerStatement))
        {
            sql.Clear().Append(_before);
            for (var i = 0; i < some.Length; i++)
            {
                var row = new Row(sql, first: i == 0);
                write(some[i], row);
                row.End();
            }
            await using var command = db.Database.GetDbConnection().CreateCommand();
            command.Transaction = Microsoft.EntityFrameworkCore.Storage.DbContextTransactionExtensions.GetDbTransaction(
                db.Database.CurrentTransaction!
            );
            command.CommandText = sql.Append(_after).ToString();
            await command.ExecuteNonQueryAsync(cancel);
        }
    }

    /// <summary>Builds one row. It accepts numbers only, so that no text can get into the statement.</summary>
    public sealed class Row
    {
        private readonly StringBuilder _sql;
        private bool _empty = true;

        internal Row(StringBuilder sql, bool first) => (_sql = sql).Append(first ? "(" : ",(");

        public Row Add(long? value)
        {
            if (!_empty)
                _sql.Append(',');
            _empty = false;
            if (value is { } number)
                _sql.Append(CultureInfo.InvariantCulture, $"{number}");
            else
                _sql.Append("NULL");
            return this;
        }

        public Row Add(bool value)
        {
            if (!_empty)
                _sql.Append(',');
            _empty = false;
            _sql.Append(value ? "TRUE" : "FALSE");
            return this;
        }

        internal void End() => _sql.Append(')');
    }
}
