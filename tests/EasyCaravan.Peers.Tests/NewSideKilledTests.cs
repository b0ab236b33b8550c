using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>
/// The server of the new side is killed without warning again and again, and its indexes are rebuilt: what it had lost comes back.
/// </summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed partial class NewSideKilledTests(TwoServers servers)
{
    [Theory]
    [InlineData("maildir")]
    [InlineData("sdbox")]
    [InlineData("mdbox")]
    public Task Killed_in_mid_pass_every_double_is_named_and_can_be_removed(string storage) => KillAsync(storage, 5);

    /// <summary>Minutes long: run by <c>./test --long</c>.</summary>
    [Theory(Explicit = true)]
    [InlineData("maildir")]
    [InlineData("sdbox")]
    [InlineData("mdbox")]
    public Task Killed_thirty_times_every_double_is_named_and_can_be_removed(string storage) => KillAsync(storage, 32);

    /// <summary>What the messages of one life take at least, in octets.</summary>
    private const int FreshOctets = 400 * 700;

    private async Task KillAsync(string storage, int kills)
    {
        var account = servers.NewAccounts(1)[0];
        await using var there = await DovecotServer.StartAsync('.', new DovecotManners { Storage = storage });
        there.SetUser(account, TwoServers.Password);
        await using var way = new CuttingProxy(there.PlainPort, () => null);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(TwoServers.PlanBetween(servers.From.PlainPort, way.Port), ("crew.csv", TwoServers.Roster([account])));
        var chance = new Random(4711);
        var planted = 0;
        for (var life = 0; life < kills; life++)
        {
            using (var from = await servers.AtFromAsync(account))
                await from.AppendAsync("INBOX", Enumerable.Range(planted, 400).Select(Message));
            planted += 400;
            var reached = way.PassedAsync(chance.Next(1, FreshOctets));
            await service.RunAsync(life == 0 ? "start" : "catch-up", "crew");
            await service.RunAsync("retry", "crew");
            await reached;
            await there.KillAsync();
            await there.StartAsync();
        }
        await RunToEndAsync(service);
        await there.ResyncAsync(account);
        await RunToEndAsync(service);

        // What the witness sees, and nothing else, is named.
        var twice = await CountsAsync(there, account);
        Assert.Equal(planted, twice.Count);
        var seconds = twice.Sum(m => m.Value - 1);
        var waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        TestContext.Current.TestOutputHelper?.WriteLine($"{storage}: {planted} messages, {seconds} second copies after {kills} kills");
        if (waybill.Twice != seconds)
            await TellAsync(service, there, account);
        Assert.Equal((planted, (long)seconds, 0L, seconds == 0), (waybill.Total.Carried, waybill.Twice, waybill.Missing, waybill.Closes));
        var named = (await service.ListAllAsync<DifferenceView>("batches/crew/differences"))
            .GroupBy(d => d.Subject)
            .ToDictionary(g => g.Key, g => g.Count());
        Assert.Equal(
            twice.Where(m => m.Value > 1).ToDictionary(m => m.Key, m => m.Value - 1).OrderBy(m => m.Key),
            named.OrderBy(m => m.Key)
        );

        await service.RunAsync("differences", "crew", "--remove-second");
        await RunToEndAsync(service);
        Assert.All(await CountsAsync(there, account), m => Assert.Equal(1, m.Value));
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    /// <summary>Until a pass has come to its end with nothing left to try again.</summary>
    private static async Task RunToEndAsync(TestService service)
    {
        await TestService.UntilAsync(
            async () =>
            {
                await service.RunAsync("retry", "crew");
                return (await service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.InStep && m.Condition is MoveCondition.Idle);
            },
            seconds: 300
        );
        await service.RunAsync("catch-up", "crew", "--wait");
        Assert.True((await service.MovesAsync("crew")).TrueForAll(m => m.Condition is MoveCondition.Idle));
    }

    /// <summary>Shows what was not named, so that a rare failure can be understood.</summary>
    private static async Task TellAsync(TestService service, DovecotServer there, string account)
    {
        var named = (await service.ListAllAsync<DifferenceView>("batches/crew/differences")).Select(d => d.Subject).ToHashSet();
        using var to = await PlainImap.SignInAsync(there.PlainPort, account, TwoServers.Password);
        var messages = (await to.ReadFolderAsync("INBOX")).ToList();
        var places = messages.Select(
            (m, place) => (Subject: Subject().Match(Encoding.Latin1.GetString(m.Octets)).Groups[1].Value, place, m)
        );
        foreach (var group in places.GroupBy(m => m.Subject).Where(g => g.Count() > 1 && !named.Contains(g.Key)))
        {
            var copies = group.OrderBy(g => g.m.Octets.Length).ToList();
            var (torn, whole) = (copies[0].m.Octets, copies[^1].m.Octets);
            var same = torn.AsSpan().CommonPrefixLength(whole);
            TestContext.Current.TestOutputHelper?.WriteLine(
                $"{group.Key} is not named: of {messages.Count}, at "
                    + string.Join(", ", group.Select(g => $"{g.place} with {g.m.Octets.Length} octets"))
                    + $"; the same up to {same}, then '{Encoding.Latin1.GetString(torn.AsSpan(same))}'"
            );
        }
    }

    /// <summary>How often each message stands there, by its subject.</summary>
    private static async Task<Dictionary<string, int>> CountsAsync(DovecotServer there, string account)
    {
        using var to = await PlainImap.SignInAsync(there.PlainPort, account, TwoServers.Password);
        return (await to.ReadFolderAsync("INBOX"))
            .GroupBy(m => Subject().Match(Encoding.Latin1.GetString(m.Octets)).Groups[1].Value)
            .ToDictionary(g => g.Key, g => g.Count());
    }

    private static (string Flags, DateTimeOffset Date, byte[] Octets) Message(int i) =>
        (
            "\\Seen",
            DateTimeOffset.UnixEpoch.AddMinutes(i),
            Encoding.ASCII.GetBytes(
                $"From: desk@saltmarsh.example\r\nMessage-ID: <{i}@saltmarsh.example>\r\nSubject: Tide {i}\r\n\r\n"
                    + $"{string.Concat(Enumerable.Repeat(string.Create(CultureInfo.InvariantCulture, $"High water at {i}.\r\n"), 40))}"
            )
        );

    [GeneratedRegex("Subject: (.*?)\r\n")]
    private static partial Regex Subject();
}
