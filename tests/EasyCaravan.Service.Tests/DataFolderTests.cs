using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>
/// An installation knows that it was one before: a store that is gone, cut short or damaged is never replaced by an empty one.
/// </summary>
public sealed class DataFolderTests : IAsyncLifetime
{
    private const string Account = "aoife@saltmarsh.example";

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());
    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-data").FullName;

    private string Store => Path.Combine(_folder, "caravan.db");

    /// <summary>An installation that has carried something, and was stopped as one stops a service.</summary>
    public async ValueTask InitializeAsync()
    {
        _from.AddAccount(Account, "s").Find("INBOX")!.Add("Subject: Tide\r\n\r\nHello\r\n"u8.ToArray(), [], DateTimeOffset.UnixEpoch);
        _to.AddAccount(Account, "s");
        await using var service = await TestService.StartAsync(_folder);
        await service.ApplyAsync(
            $$"""
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none} }
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none} }
            routes: {crossing: {from: lanternpost, to: northquay} }
            batches: {crew: {route: crossing, roster: crew.csv} }
            """,
            ("crew.csv", $"name,from_account,to_account,from_secret,to_secret\nAoife,{Account},{Account},s,s\n")
        );
        Assert.Equal(0, (await service.RunAsync("start", "crew", "--wait")).Code);
    }

    public async ValueTask DisposeAsync()
    {
        await _from.DisposeAsync();
        await _to.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task After_a_stop_all_is_in_the_one_file_and_a_copy_of_it_is_whole()
    {
        Assert.False(File.Exists(Store + "-wal") && new FileInfo(Store + "-wal").Length > 0, "something is left in the log");
        var copy = Directory.CreateTempSubdirectory("caravan-copy").FullName;
        Directory.CreateDirectory(Path.Combine(copy, "keys"));
        foreach (var key in Directory.GetFiles(Path.Combine(_folder, "keys")))
            File.Copy(key, Path.Combine(copy, "keys", Path.GetFileName(key)));
        File.Copy(Store, Path.Combine(copy, "caravan.db"));
        File.Copy(Path.Combine(_folder, CaravanHost.TokenFile), Path.Combine(copy, CaravanHost.TokenFile));
        await using (var service = await TestService.StartAsync(copy))
            Assert.Equal(
                (MoveStage.InStep, 1L),
                ((await service.MovesAsync("crew"))[0].Stage, (await service.MovesAsync("crew"))[0].Counts.Carried)
            );
        Directory.Delete(copy, recursive: true);
    }

    [Theory]
    [InlineData("gone", "is gone")]
    [InlineData("emptied", "is empty")]
    [InlineData("cut", "cut short")]
    [InlineData("head", "is no database")]
    [InlineData("middle", "damaged")]
    [InlineData("log", "write-ahead log")]
    public async Task A_store_that_is_not_whole_is_refused_with_what_to_do_and_stays_as_it_is(string harm, string says)
    {
        switch (harm)
        {
            case "gone":
                File.Delete(Store);
                break;
            case "emptied":
                File.WriteAllBytes(Store, []);
                break;
            case "cut":
                Cut();
                break;
            case "head":
                Overwrite(0, 64);
                break;
            case "middle":
                Overwrite(4096, 8192);
                break;
            default:
                CopyWithoutLog();
                break;
        }
        var before = File.Exists(Store) ? File.ReadAllBytes(Store) : null;
        var refused = await Assert.ThrowsAsync<DataFolderException>(async () => await TestService.StartAsync(_folder));
        Assert.Contains(says, refused.Message, StringComparison.Ordinal);
        Assert.Contains("backup", refused.Message, StringComparison.Ordinal);
        Assert.Equal(before, File.Exists(Store) ? File.ReadAllBytes(Store) : null);
    }

    private void Cut()
    {
        using var stream = new FileStream(Store, FileMode.Open);
        stream.SetLength(stream.Length / 2);
    }

    private void Overwrite(int at, int octets)
    {
        using var stream = new FileStream(Store, FileMode.Open);
        stream.Position = at;
        stream.Write(Enumerable.Repeat((byte)0xA5, octets).ToArray());
    }

    /// <summary>As somebody copies the file alone while the service is still young.</summary>
    private void CopyWithoutLog()
    {
        File.Delete(Store);
        using (var young = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={Store};Pooling=False"))
        {
            young.Open();
            using var mode = young.CreateCommand();
            mode.CommandText = "PRAGMA journal_mode=WAL; PRAGMA user_version=1";
            mode.ExecuteNonQuery();
        }
    }

    [Fact]
    public async Task A_folder_that_others_could_read_is_closed_to_them_at_the_next_start()
    {
        const UnixFileMode Open = (UnixFileMode)0b111_101_101;
        var (token, key) = (Path.Combine(_folder, CaravanHost.TokenFile), Directory.GetFiles(Path.Combine(_folder, "keys")).First());
        foreach (var folder in new[] { _folder, Path.Combine(_folder, "keys"), Path.Combine(_folder, "secrets") })
            File.SetUnixFileMode(folder, Open);
        foreach (var file in new[] { token, key, Store })
            File.SetUnixFileMode(file, (UnixFileMode)0b110_100_100);
        await using var service = await TestService.StartAsync(_folder);
        const UnixFileMode OwnFolder = (UnixFileMode)0b111_000_000;
        Assert.All(new[] { _folder, Path.Combine(_folder, "keys"), Path.Combine(_folder, "secrets") }, f =>
            Assert.Equal(OwnFolder, File.GetUnixFileMode(f))
        );
        Assert.All(new[] { token, key, Store }, f => Assert.Equal((UnixFileMode)0b110_000_000, File.GetUnixFileMode(f)));
    }

    [Fact]
    public async Task After_a_withdrawal_no_secret_of_the_person_is_in_any_file_of_the_folder()
    {
        const string Secret = "tide-tables-of-1911";
        await using var service = await TestService.StartAsync(_folder);
        Assert.Equal(0, (await service.RunAsync("hold", "crew")).Code);
        using (var set = new HttpRequestMessage(HttpMethod.Post, "/api/v1/batches/crew/secrets"))
        {
            set.Content = System.Net.Http.Json.JsonContent.Create(
                new SecretsRequest(SideWord.From, [new SecretGiven(Account, Secret, null)]),
                options: ContractJson.Options
            );
            using var answer = await service.Api.SendAsync(set);
            Assert.Equal(System.Net.HttpStatusCode.OK, answer.StatusCode);
        }
        var database = (EasyCaravan.Store.Database)service.Services.GetService(typeof(EasyCaravan.Store.Database))!;
        async Task<List<string>> SealedAsync()
        {
            await using var db = database.Read();
            return [.. db.Moves.ToList().SelectMany(m => new[] { m.FromSecret, m.ToSecret }).OfType<string>()];
        }
        var known = await SealedAsync();
        Assert.Equal(2, known.Count);
        Assert.Equal(0, (await service.RunAsync("withdraw", "crew")).Code);
        Assert.Empty(await SealedAsync());
        await database.EmptyLogAsync(CancellationToken.None);
        foreach (var file in Directory.EnumerateFiles(_folder, "caravan.db*"))
        {
            await using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
            using var reader = new StreamReader(stream, System.Text.Encoding.Latin1);
            var text = await reader.ReadToEndAsync();
            Assert.All(known, k => Assert.DoesNotContain(k, text, StringComparison.Ordinal));
        }
        // A roster that still has them does not bring them back.
        Assert.Equal(0, (await service.RunAsync("plan", "apply", Path.Combine(_folder, "plan", "plan.yaml"))).Code);
        Assert.Empty(await SealedAsync());
    }

    [Fact]
    public async Task Somebody_who_leaves_the_roster_before_moving_is_forgotten_with_their_consents_and_nobody_else_is()
    {
        const string Gone = "niamh@saltmarsh.example";
        await using var service = await TestService.StartAsync(_folder);
        var folder = Path.Combine(_folder, "plan");
        var (plan, roster) = (Path.Combine(folder, "plan.yaml"), Path.Combine(folder, "crew.csv"));
        var before = await File.ReadAllTextAsync(roster);
        await File.WriteAllTextAsync(roster, $"{before}Niamh,{Gone},{Gone},s,s\n");
        Assert.Equal(0, (await service.RunAsync("plan", "apply", plan)).Code);
        var database = (EasyCaravan.Store.Database)service.Services.GetService(typeof(EasyCaravan.Store.Database))!;
        await database.WriteAsync(
            db =>
            {
                foreach (var account in new[] { Account, Gone })
                    db.Consents.Add(
                        new EasyCaravan.Store.Rows.ConsentRow
                        {
                            Service = "lanternpost",
                            Account = account,
                            Origin = "",
                            Token = "sealed",
                            Who = "tests",
                        }
                    );
                return Task.CompletedTask;
            },
            CancellationToken.None
        );
        await File.WriteAllTextAsync(roster, before);
        Assert.Equal(0, (await service.RunAsync("plan", "apply", plan)).Code);
        await using var after = database.Read();
        Assert.Equal([Account], after.Consents.Select(c => c.Account).ToList());
        Assert.Equal([Account], after.Moves.Select(m => m.FromAccount).ToList());
    }
}
