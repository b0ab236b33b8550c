using EasyCaravan.Core.Pacing;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;

namespace EasyCaravan.Store;

/// <summary>Opens the store: reads run in parallel, writes one after the other.</summary>
/// <remarks>
/// SQLite takes one writer at a time and makes others poll; a gate in this process lets them wait in line instead. Write-ahead log with
/// <c>synchronous=NORMAL</c>: a killed process loses nothing; after a power cut the last moments may be missing, which is the same
/// to a pass as an append whose answer was lost.
/// </remarks>
public sealed class Database : IDisposable
{
    private readonly DbContextOptions<CaravanDb> _options;
    private readonly PooledDbContextFactory<CaravanDb> _readers;
    private readonly SemaphoreSlim _writing = new(1);
    private CaravanDb? _writer;

    private Database(DbContextOptions<CaravanDb> options)
    {
        _options = options;
        _readers = new PooledDbContextFactory<CaravanDb>(
            new DbContextOptionsBuilder<CaravanDb>(options).UseQueryTrackingBehavior(QueryTrackingBehavior.NoTracking).Options
        );
        using var db = Read();
        Queries = PreparedQueries.For(db.Database.ProviderName!);
    }

    /// <param name="file">Of the embedded store; made when missing.</param>
    public static async Task<Database> OpenAsync(string file, CancellationToken cancel)
    {
        var database = new Database(new DbContextOptionsBuilder<CaravanDb>().UseSqlite($"Data Source={file};Default Timeout=30").Options);
        await using var db = database.Read();
        var known = db.Database.GetMigrations().ToHashSet();
        var applied = (await db.Database.GetAppliedMigrationsAsync(cancel)).ToHashSet();
        if (applied.FirstOrDefault(m => !known.Contains(m)) is { } newer)
            throw new StoreFileException(
                $"{file} was used by a newer Easy Caravan ({newer}). Use that version, or a backup from before it."
            );
        if (applied.Count == 0)
            await MakeAsync(db, cancel);
        // Where nothing is to be done, even finding that out costs a start a third of a second.
        else if (applied.Count < known.Count)
            await db.Database.MigrateAsync(cancel);
        await db.Database.ExecuteSqlRawAsync("PRAGMA journal_mode=WAL", cancel);
        return database;
    }

    /// <summary>
    /// Makes a new store as it is today, in one transaction. Going through all migrations would cost the first start, and every test,
    /// seconds.
    /// </summary>
    private static async Task MakeAsync(CaravanDb db, CancellationToken cancel)
    {
        var history = db.GetService<IHistoryRepository>();
        await using var transaction = await db.Database.BeginTransactionAsync(cancel);
        await db.Database.ExecuteSqlRawAsync(Schema(), cancel);
        await db.Database.ExecuteSqlRawAsync(history.GetCreateScript(), cancel);
        foreach (var migration in db.Database.GetMigrations())
            await db.Database.ExecuteSqlRawAsync(history.GetInsertScript(new HistoryRow(migration, ProductInfo.GetVersion())), cancel);
        await transaction.CommitAsync(cancel);
    }

    /// <summary>The tables of the embedded store, to which the migrations lead too.</summary>
    private static string Schema()
    {
        using var text = new StreamReader(typeof(Database).Assembly.GetManifestResourceStream("Schema.sql")!);
        return text.ReadToEnd();
    }

    /// <summary>The compiled queries of this database's provider.</summary>
    internal PreparedQueries Queries { get; }

    /// <summary>For queries. What it returns is not tracked.</summary>
    public CaravanDb Read() => _readers.CreateDbContext();

    /// <summary>Why nothing can be written now; null when the last write went well.</summary>
    public Fault? Trouble { get; private set; }

    /// <summary>Runs one transaction: all of it or nothing.</summary>
    /// <exception cref="FaultException">The disk is full: nothing was changed.</exception>
    public async Task<T> WriteAsync<T>(Func<CaravanDb, Task<T>> work, CancellationToken cancel)
    {
        await _writing.WaitAsync(cancel);
        // Removed while it is in use: after a failure its state is unknown, and the next writer opens a new one.
        var db = _writer;
        _writer = null;
        try
        {
            db ??= await OpenWriterAsync(cancel);
            T result;
            await using (var transaction = await db.Database.BeginTransactionAsync(cancel))
            {
                result = await work(db);
                await db.SaveChangesAsync(cancel);
                await transaction.CommitAsync(cancel);
            }
            db.ChangeTracker.Clear();
            (_writer, db) = (db, null);
            Trouble = null;
            return result;
        }
        catch (Exception e) when (IsFull(e))
        {
            Trouble = new Fault(Cause.StoreFull, "Easy Caravan", "the disk under the store is full");
            throw new FaultException(Trouble, Verdict.Keep, e);
        }
        finally
        {
            if (db is not null)
                await db.DisposeAsync();
            _writing.Release();
        }
    }

    private async Task<CaravanDb> OpenWriterAsync(CancellationToken cancel)
    {
        var db = new CaravanDb(_options);
        await db.Database.OpenConnectionAsync(cancel);
        if (db.Database.IsSqlite())
            // What is deleted is overwritten with zeros: sealed secrets that are forgotten shall not be found in the file.
            await db.Database.ExecuteSqlRawAsync("PRAGMA synchronous=NORMAL; PRAGMA secure_delete=ON", cancel);
        return db;
    }

    /// <summary>
    /// The log may hold what was forgotten, until it is written back into the main file. Set at each start, in case the process ended in
    /// between.
    /// </summary>
    internal bool MayHoldForgotten { get; set; } = true;

    /// <summary>Writes the log back and empties it where that is wanted; where somebody reads at this moment, the next call does.</summary>
    public async Task EmptyLogAsync(CancellationToken cancel)
    {
        if (!MayHoldForgotten)
            return;
        await _writing.WaitAsync(cancel);
        try
        {
            await using var db = new CaravanDb(_options);
            MayHoldForgotten = db.Database.IsSqlite() && await CheckpointAsync(db, cancel) is not 0L;
        }
        finally
        {
            _writing.Release();
        }
    }

    /// <summary>0: the log was written back whole, and is empty.</summary>
    private static async Task<object?> CheckpointAsync(CaravanDb db, CancellationToken cancel)
    {
        await db.Database.OpenConnectionAsync(cancel);
        await using var command = db.Database.GetDbConnection().CreateCommand();
        command.CommandText = "PRAGMA wal_checkpoint(TRUNCATE)";
        return await command.ExecuteScalarAsync(cancel);
    }

    /// <summary>
    /// SQLITE_FULL, or an I/O error while the log grows, which is how a full disk shows on some file systems (SQLITE_IOERR_WRITE and
    /// _SHMSIZE).
    /// </summary>
    private static bool IsFull(Exception error) =>
        error switch
        {
            Microsoft.Data.Sqlite.SqliteException sqlite => sqlite.SqliteErrorCode == 13 || sqlite.SqliteExtendedErrorCode is 778 or 4874,
            DbUpdateException { InnerException: { } inner } => IsFull(inner),
            _ => false,
        };

    public Task WriteAsync(Func<CaravanDb, Task> work, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await work(db);
                return true;
            },
            cancel
        );

    /// <summary>Writes the log back into the main file, so that a copy of that file is complete.</summary>
    public void Dispose()
    {
        var db = _writer ?? new CaravanDb(_options);
        _writer = null;
        try
        {
            if (db.Database.IsSqlite())
                db.Database.ExecuteSqlRaw("PRAGMA wal_checkpoint(TRUNCATE)");
        }
        catch (Microsoft.Data.Sqlite.SqliteException)
        {
            // The disk may be full: then the log stays beside the file, and the next start reads both.
        }
        db.Dispose();
        _writing.Dispose();
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
    }
}

/// <summary>Used by the migrations tool only.</summary>
internal sealed class DesignTimeFactory : IDesignTimeDbContextFactory<CaravanDb>
{
    public CaravanDb CreateDbContext(string[] args) =>
        new(new DbContextOptionsBuilder<CaravanDb>().UseSqlite("Data Source=:memory:").Options);
}
