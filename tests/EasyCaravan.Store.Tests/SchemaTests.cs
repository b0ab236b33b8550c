using System.Runtime.CompilerServices;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store.Tests;

/// <summary>A new store is made from <c>Schema.sql</c>, an older one goes through the migrations: both become the same.</summary>
public sealed class SchemaTests
{
    private static readonly DbContextOptions<CaravanDb> s_memory = new DbContextOptionsBuilder<CaravanDb>()
        .UseSqlite("Data Source=:memory:")
        .Options;

    /// <summary>CARAVAN_WRITE_SCHEMA=1 writes the file anew.</summary>
    [Fact]
    public async Task The_schema_is_what_the_model_says()
    {
        await using var db = new CaravanDb(s_memory);
        var said = db.Database.GenerateCreateScript();
        var file = Path.Combine(SourceFolder(), "..", "..", "src", "EasyCaravan.Store", "Schema.sql");
        if (Environment.GetEnvironmentVariable("CARAVAN_WRITE_SCHEMA") == "1")
            await File.WriteAllTextAsync(file, said);
        Assert.Equal(said, await File.ReadAllTextAsync(file));
    }

    [Fact]
    public async Task A_new_store_has_the_tables_that_the_migrations_make()
    {
        await using var migrated = new CaravanDb(s_memory);
        await migrated.Database.OpenConnectionAsync();
        await migrated.Database.MigrateAsync();
        await using var made = await TestDatabase.OpenAsync();
        await using var fresh = made.Database.Read();
        await fresh.Database.OpenConnectionAsync();
        Assert.False(fresh.Database.HasPendingModelChanges());
        Assert.Equal(await ShapeAsync(migrated), await ShapeAsync(fresh));
        Assert.Equal(await migrated.Database.GetAppliedMigrationsAsync(), await fresh.Database.GetAppliedMigrationsAsync());
    }

    /// <summary>
    /// Columns in the order of their names, without their defaults: a column that came later stands last and has one for the rows of then.
    /// </summary>
    private static async Task<List<string>> ShapeAsync(CaravanDb db)
    {
        await using var command = ((SqliteConnection)db.Database.GetDbConnection()).CreateCommand();
        command.CommandText = """
            WITH tables AS (SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT GLOB '__EF*')
            SELECT concat_ws(' ', t.name, c.name, c.type, c."notnull", c.pk)
            FROM tables t JOIN pragma_table_xinfo(t.name) c
            UNION ALL
            SELECT concat_ws(' ', t.name, i.name, i."unique", i.partial, c.seqno, c.name, c."desc")
            FROM tables t JOIN pragma_index_list(t.name) i JOIN pragma_index_xinfo(i.name) c WHERE c.key
            UNION ALL
            SELECT concat_ws(' ', t.name, f."from", f."table", f."to", f.on_delete)
            FROM tables t JOIN pragma_foreign_key_list(t.name) f
            ORDER BY 1
            """;
        var shape = new List<string>();
        await using var reader = await command.ExecuteReaderAsync();
        while (await reader.ReadAsync())
            shape.Add(reader.GetString(0));
        return shape;
    }

    private static string SourceFolder([CallerFilePath] string file = "") => Path.GetDirectoryName(file)!;
}
