using System.Diagnostics;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Peers;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Peers.Tests;

/// <summary>Passes over connections that are cut at any octet of either direction, while the owner goes on using the mailbox.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class CutTests(TwoServers servers)
{
    [Fact]
    public Task Cut_at_any_octet_nothing_is_lost_or_doubled() => RunAsync(150);

    /// <summary>Minutes long: run by <c>./test --long</c>.</summary>
    [Fact(Explicit = true)]
    public Task Cut_ten_thousand_times_nothing_is_lost_or_doubled() => RunAsync(10_000);

    private async Task RunAsync(int cuts)
    {
        var account = servers.NewAccounts(1)[0];
        var chance = new Random(4711);
        var peace = false;
        // Connections live from the greeting up to some hundred messages: cuts come in sign-ins as often as in long answers.
        long? Life() => peace || chance.Next(4) == 0 ? null : (long)Math.Exp(chance.NextDouble() * Math.Log(600_000)) + 200;
        await using var from = new CuttingProxy(servers.From.PlainPort, Life);
        await using var to = new CuttingProxy(servers.To.PlainPort, Life);
        var folder = Directory.CreateTempSubdirectory("caravan-cut").FullName;
        using var database = await Database.OpenAsync(Path.Combine(folder, "caravan.db"), CancellationToken.None);
        await database.WriteAsync(
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
                MoveStates.Apply(row, MoveState.New(Kind.Mail).Start(null, default), default);
                db.Moves.Add(row);
                return Task.CompletedTask;
            },
            CancellationToken.None
        );

        await servers.PlantAsync(account, 300);
        using var owner = await servers.AtFromAsync(account);
        var (planted, passes, whole, moved) = (300, 0, 0, 0);
        while (from.Cut + to.Cut < cuts)
        {
            passes++;
            if (!await TryPassAsync(database, account, from.Port, to.Port))
                await Task.WhenAll(from.RestAsync(), to.RestAsync());
            else
                whole++;
            if (passes % 10 != 0)
                continue;
            // Meanwhile the owner uses the old side: new mail, other flags, moved messages.
            await owner.AppendAsync("Projects/Ramp 2", Enumerable.Range(planted, 5).Select(i => TwoServers.Message(account, i, 1500)));
            planted += 5;
            await owner.RunAsync("SELECT INBOX");
            await owner.RunAsync($"STORE 1:3 {(passes % 20 == 0 ? "+" : "-")}FLAGS (\\Flagged)");
            if (passes % 50 == 0)
            {
                await owner.RunAsync("SELECT \"Projects/Ramp 2\"");
                await owner.RunAsync("MOVE 1 Projects");
                moved++;
            }
        }
        peace = true;
        await Task.WhenAll(from.RestAsync(), to.RestAsync());
        var patience = Stopwatch.StartNew();
        while (!await TryPassAsync(database, account, from.Port, to.Port))
            Assert.True(patience.Elapsed < TimeSpan.FromMinutes(2), "no pass comes to its end in peace");
        await TryPassAsync(database, account, from.Port, to.Port);

        await servers.AssertSameAsync(account);
        await using var db = database.Read();
        var waybill = EasyCaravan.Core.Proving.Waybill.Draw(db.LedgerFolders.ToList().Select(Pages.PageOf));
        Assert.True(waybill.Closes);
        Assert.Equal(planted, waybill.Total.Found);
        TestContext.Current.TestOutputHelper?.WriteLine(
            $"{from.Cut + to.Cut} connections cut in {passes} passes, {whole} of them whole; {planted} messages, {moved} moved"
        );
        Directory.Delete(folder, recursive: true);
    }

    private static async Task<bool> TryPassAsync(Database database, string account, int fromPort, int toPort)
    {
        var store = new MoveStore(database, TimeProvider.System);
        await database.WriteAsync(
            db =>
            {
                var row = db.Moves.Include(m => m.Legs).First();
                db.Moves.Attach(row);
                MoveStates.Apply(row, MoveState.New(Kind.Mail).Start(null, default), default);
                return Task.CompletedTask;
            },
            CancellationToken.None
        );
        var claim = (await store.ClaimAsync("one", ScheduleRules.None, CancellationToken.None))!;
        Core.Planning.Service Service(string name, int port) =>
            new(
                name,
                new MailConnection(MailProtocol.Imap, "127.0.0.1", port, Security.None),
                new SignIn.Password(null),
                new Trust.System(),
                Limits.Default
            );
        var who = new Credentials(account, account, TwoServers.Password);
        var order = new MailLegOrder(
            IsFirst: false,
            new Side(Service("a", fromPort), who),
            new Side(Service("b", toPort), who),
            new CarryRules([], new MailRules(null, null), Doubles.Pair),
            2
        );
        var tally = new Tally();
        Fault? fault = null;
        try
        {
            await new MailLeg(new Direct(), store.LedgerOf(claim, Kind.Mail), order, tally, _ => { }).RunAsync(CancellationToken.None);
        }
        catch (FaultException e) when (e.Fault.Action is FaultAction.RetryLater)
        {
            // The causes that a cut may be reported as. Any other cause would need a person, and fails the test.
            fault = e.Fault;
        }
        var end = new PassEnd([new LegEnd(Kind.Mail)], Stopped: false);
        await store.EndAsync(
            claim,
            [tally],
            end with
            {
                Legs = [new LegEnd(Kind.Mail, fault)],
            },
            s => s.End(end, _ => null, 0.5, null, default),
            CancellationToken.None
        );
        return fault is null;
    }

    private sealed class Direct : IMailAccounts
    {
        public async Task<IMailAccount> OpenAsync(Core.Planning.Service service, Credentials credentials, CancellationToken cancel) =>
            await ImapMailAccount.OpenAsync(service, credentials, null, null, null, cancel);

        public async Task<IMailAccount?> TryOpenAsync(Core.Planning.Service service, Credentials credentials, CancellationToken cancel) =>
            await OpenAsync(service, credentials, cancel);
    }
}
