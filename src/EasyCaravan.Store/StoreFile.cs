using System.Buffers.Binary;
using Microsoft.Data.Sqlite;

namespace EasyCaravan.Store;

/// <summary>The embedded store's file cannot be used as it is.</summary>
/// <param name="message">What is wrong with it, and what to do, for people.</param>
public sealed class StoreFileException(string message, Exception? inner = null) : Exception(message, inner);

/// <summary>
/// Looks at the embedded store's file before it is opened. SQLite makes a new one out of a file that is missing or empty: an installation
/// would start with nothing and without a word.
/// </summary>
public static class StoreFile
{
    /// <summary>Larger ones are not read through at the start: it would take minutes.</summary>
    private const long MostToCheck = 256 * 1024 * 1024;

    private const string Restore = "Restore it from a backup together with the folder keys, or start in another folder with --data";

    /// <param name="file">The database file.</param>
    /// <param name="wasInstalled">The folder has held an installation before.</param>
    /// <exception cref="StoreFileException">It may not be opened; nothing was changed.</exception>
    public static void Check(string file, bool wasInstalled)
    {
        var log = new FileInfo(file + "-wal");
        var info = new FileInfo(file);
        if (!info.Exists || info.Length == 0)
        {
            if (wasInstalled)
                throw new StoreFileException(
                    $"This folder has held an installation, but {file} is {(info.Exists ? "empty" : "gone")}: the moves, the ledger and "
                        + $"the journal are not there. {Restore}."
                );
            if (info.Exists)
                throw new StoreFileException($"{file} is empty. Delete it for a new installation, or restore it from a backup.");
            return;
        }
        CheckHeader(file, info.Length, log is { Exists: true, Length: > 0 });
        try
        {
            using var connection = new SqliteConnection(
                new SqliteConnectionStringBuilder
                {
                    DataSource = file,
                    Mode = SqliteOpenMode.ReadWrite,
                    Pooling = false,
                }.ToString()
            );
            connection.Open();
            if (Scalar(connection, "SELECT COUNT(*) FROM sqlite_master WHERE name = '__EFMigrationsHistory'") is 0L)
                throw new StoreFileException(
                    $"{file} holds no installation. If it was copied while the service ran, its write-ahead log {file}-wal belongs to "
                        + $"it: stop the service first, or copy both. {Restore}."
                );
            if (info.Length <= MostToCheck && Scalar(connection, "PRAGMA quick_check(1)") is not "ok")
                throw Damaged(file, null);
        }
        catch (SqliteException e)
        {
            throw e.SqliteErrorCode is 11 or 26
                ? Damaged(file, e)
                : new StoreFileException(
                    $"{file} cannot be opened: {e.Message}. See that no other program holds it and that the disk can be written to.",
                    e
                );
        }
    }

    /// <summary>The first hundred octets say how many pages there have to be (the file format of SQLite, section 1.3).</summary>
    private static void CheckHeader(string file, long length, bool hasLog)
    {
        Span<byte> header = stackalloc byte[100];
        using (var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite))
            if (stream.ReadAtLeast(header, header.Length, throwOnEndOfStream: false) < header.Length)
                throw Damaged(file, null);
        if (!header[..16].SequenceEqual("SQLite format 3\0"u8))
            throw new StoreFileException($"{file} is no database. {Restore}.");
        var pageSize = BinaryPrimitives.ReadUInt16BigEndian(header[16..]) is 1
            ? 65_536
            : BinaryPrimitives.ReadUInt16BigEndian(header[16..]);
        var pages = BinaryPrimitives.ReadUInt32BigEndian(header[28..]);
        // With a log beside it the newest pages may stand there.
        if (!hasLog && (long)pages * pageSize > length)
            throw new StoreFileException($"{file} is cut short: {length} octets are left of {(long)pages * pageSize}. {Restore}.");
    }

    private static object? Scalar(SqliteConnection connection, string sql)
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        return command.ExecuteScalar();
    }

    private static StoreFileException Damaged(string file, Exception? inner) => new($"{file} is damaged. {Restore}.", inner);
}
