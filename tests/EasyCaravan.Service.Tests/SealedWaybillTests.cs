using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Service.Proof;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>A waybill that was changed after it was sealed is found out, without the service.</summary>
public sealed class SealedWaybillTests
{
    private static readonly Dictionary<string, string> s_header = new() { ["batch"] = "crew" };

    private static string[] SealNew(ECDsa key) =>
        [.. WaybillSeal.Seal(s_header, ["{\"entry\":\"move\",\"account\":\"aoife\"}", "{\"entry\":\"folder\",\"found\":7}"], key)];

    [Fact]
    public void Every_changed_octet_every_line_that_is_gone_or_moved_and_every_cut_is_found()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var lines = SealNew(key);
        Assert.Null(WaybillSeal.Check(lines).Fault);
        for (var at = 0; at < lines.Length; at++)
        {
            for (var octet = 0; octet < lines[at].Length; octet++)
            {
                var changed = lines.ToArray();
                var text = new StringBuilder(changed[at]);
                text[octet] = text[octet] == 'x' ? 'y' : 'x';
                changed[at] = text.ToString();
                var check = WaybillSeal.Check(changed);
                Assert.True(check.Fault is not null && check.Line == at + 1, $"Line {at + 1}, octet {octet}: {check}");
            }
            Assert.NotNull(WaybillSeal.Check(lines.Where((_, i) => i != at)).Fault);
            Assert.NotNull(WaybillSeal.Check(lines.Take(at)).Fault);
            Assert.NotNull(WaybillSeal.Check(lines.Append(lines[at])).Fault);
        }
        Assert.NotNull(WaybillSeal.Check([lines[0], lines[2], lines[1], lines[3]]).Fault);
    }

    [Fact]
    public void Sealed_anew_by_another_key_it_is_whole_and_the_key_tells()
    {
        using var own = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var other = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var (one, two) = (WaybillSeal.Check(SealNew(own)), WaybillSeal.Check(SealNew(other)));
        Assert.Null(two.Fault);
        Assert.NotEqual(one.Key, two.Key);
        // The other's signature under our chain.
        Assert.NotNull(WaybillSeal.Check([.. SealNew(own)[..^1], SealNew(other)[^1]]).Fault);
    }

    [Fact]
    public async Task The_client_writes_it_and_checks_it_without_the_service()
    {
        await using var from = new StandInImap(new StandInManners());
        await using var to = new StandInImap(new StandInManners('.'));
        from.AddAccount("aoife@saltmarsh.example", "s")
            .Find("INBOX")!
            .Add("Message-ID: <1@saltmarsh.example>\r\nSubject: Tide\r\n\r\nHello\r\n"u8.ToArray(), [], DateTimeOffset.UtcNow);
        to.AddAccount("aoife@saltmarsh.example", "s");
        var service = await TestService.StartAsync();
        var file = Path.Combine(service.Folder, "crew.jsonl");
        string key;
        try
        {
            await service.ApplyAsync(
                $$"""
                services:
                  lanternpost:
                    mail: {speaks: imap, host: 127.0.0.1, port: {{from.Port}}, security: none}
                  northquay:
                    mail: {speaks: imap, host: 127.0.0.1, port: {{to.Port}}, security: none}
                routes:
                  crossing: {from: lanternpost, to: northquay}
                batches:
                  crew: {route: crossing, roster: crew.csv}
                """,
                (
                    "crew.csv",
                    "name,from_account,to_account,from_secret,to_secret\nAoife,aoife@saltmarsh.example,aoife@saltmarsh.example,s,s\n"
                )
            );
            await service.RunAsync("start", "crew", "--wait");
            var written = await service.RunAsync("waybill", "crew", "--sealed", file);
            Assert.True(written.Code == 0, written.Error);
            key = WaybillSeal.Check(File.ReadLines(file)).Key!;
            file = Path.Combine(Path.GetTempPath(), $"{Path.GetFileName(service.Folder)}.jsonl");
            File.Copy(Path.Combine(service.Folder, "crew.jsonl"), file);
        }
        finally
        {
            await service.DisposeAsync();
        }
        Assert.Equal(0, await VerifyAsync(file, "--key", key));
        Assert.Equal(1, await VerifyAsync(file, "--key", "another"));
        var text = await File.ReadAllTextAsync(file, TestContext.Current.CancellationToken);
        Assert.Contains("\"entry\":\"folder\"", text, StringComparison.Ordinal);
        Assert.Contains("\"carried\":\"1=1\"", text, StringComparison.Ordinal);
        await File.WriteAllTextAsync(
            file,
            text.Replace("\"carried\":1", "\"carried\":2", StringComparison.Ordinal),
            TestContext.Current.CancellationToken
        );
        Assert.Equal(1, await VerifyAsync(file));
        File.Delete(file);
    }

    [Fact]
    public void Runs_of_numbers_say_what_became_of_each()
    {
        var chance = new Random(4711);
        for (var round = 0; round < 200; round++)
        {
            var (runs, wanted) = (new ItemRuns(), new List<(long, long?)>());
            for (long number = 1, landed = 7; wanted.Count < 50; number += chance.Next(4) == 0 ? 2 : 1)
            {
                long? there = chance.Next(5) == 0 ? null : landed += chance.Next(4) == 0 ? 3 : 1;
                runs.Add(number, there);
                wanted.Add((number, there));
            }
            Assert.Equal(wanted, ReadRuns(runs.End()!));
        }
        Assert.Null(new ItemRuns().End());
    }

    private static IEnumerable<(long, long?)> ReadRuns(string text) =>
        from run in text.Split(' ')
        let sides = run.Split('=')
        let ends = sides[0].Split(':').Select(long.Parse).ToList()
        from number in Enumerable.Range(0, (int)(ends[^1] - ends[0]) + 1)
        select (ends[0] + number, sides.Length > 1 ? long.Parse(sides[1]) + number : (long?)null);

    private static Task<int> VerifyAsync(string file, params string[] more) =>
        Cli.CaravanCommand.RunAsync(
            ["waybill", "verify", file, .. more],
            new Cli.Commands.CommandHost { Out = new StringWriter(), Error = new StringWriter() }
        );
}
