using EasyCaravan.Core.Formats;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Store;

/// <summary>Writes the journal: what happened, and who asked for it.</summary>
public sealed class Journal(Database database, TimeProvider time)
{
    /// <summary>Who is named where nobody asked: the service by itself.</summary>
    public const string Service = "service";

    public Task WriteAsync(string who, string? batch, MoveRowName? move, string text, CancellationToken cancel) =>
        database.WriteAsync(
            db =>
            {
                Add(db, who, batch, move, text);
                return Task.CompletedTask;
            },
            cancel
        );

    /// <summary>Adds the entry to the caller's transaction, so that the entry and the change are stored together or not at all.</summary>
    public void Add(CaravanDb db, string who, string? batch, MoveRowName? move, string text) =>
        db.Journal.Add(
            new JournalRow
            {
                At = time.GetUtcNow().ToUnixTimeMilliseconds(),
                Who = who,
                Batch = batch,
                MoveId = move?.Id,
                Person = move?.Person,
                // Server answers and names of others stand in it.
                Text = VisibleText.Of(text),
            }
        );
}

/// <summary>Which move an entry is about, and the person's account so that it can be read by itself.</summary>
public sealed record MoveRowName(long Id, string Person);
