using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Store.Tests;

/// <summary>A store of its own for each test, gone with it.</summary>
internal sealed class TestDatabase : IAsyncDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-store").FullName;

    public Database Database { get; private set; } = null!;

    public static async Task<TestDatabase> OpenAsync()
    {
        var store = new TestDatabase();
        store.Database = await Database.OpenAsync(Path.Combine(store._folder, "caravan.db"), CancellationToken.None);
        return store;
    }

    /// <summary>Adds a move of mail that was started.</summary>
    public Task AddMoveAsync(string account, Instant now = default, Action<MoveRow>? more = null) =>
        Database.WriteAsync(
            db =>
            {
                var row = new MoveRow
                {
                    Batch = "b",
                    Name = "n",
                    FromAccount = account,
                    ToAccount = account,
                    FromLogin = account,
                    ToLogin = account,
                };
                MoveStates.Apply(row, MoveState.New(Kind.Mail).Start(null, now), now);
                more?.Invoke(row);
                db.Moves.Add(row);
                return Task.CompletedTask;
            },
            CancellationToken.None
        );

    public ValueTask DisposeAsync()
    {
        Database.Dispose();
        Directory.Delete(_folder, recursive: true);
        return ValueTask.CompletedTask;
    }
}
