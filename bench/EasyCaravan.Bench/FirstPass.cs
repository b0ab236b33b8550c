using System.Collections.Immutable;
using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Json;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Peers;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Bench;

/// <summary>One timed run.</summary>
internal sealed record Run(string Tool, double Seconds, double CpuSeconds);

/// <summary>A first pass between two Dovecots, beside the two yardsticks in the same run: interleaved, onto a fresh account each time.</summary>
internal sealed class FirstPass(int messages, int octets, int folders, int rounds, string yardsticks)
{
    private const string Password = "secret";

    public async Task<int> RunAsync()
    {
        var raw = Path.Combine(Directory.CreateTempSubdirectory("caravan-bench").FullName, "rawcopy");
        await ExecuteAsync("gcc", "-O2", "-pthread", "-o", raw, Path.Combine(yardsticks, "rawcopy.c"));
        await using var from = await DovecotServer.StartAsync('/');
        await using var to = await DovecotServer.StartAsync('.');
        from.SetUser("bench", Password);
        await PlantAsync(from);

        var runs = new List<Run>();
        for (var round = 0; round < rounds + 1; round++)
        {
            // Every round does each once, so that what else the machine does strikes all alike. The first warms up and is not counted.
            foreach (var (tool, lanes) in new[] { ("raw", 1), ("raw", 2), ("caravan", 1), ("caravan", 2), ("script", 1) })
            {
                if (round == 0 && tool == "script") continue;
                var user = $"{tool}{lanes}-{round}";
                to.SetUser(user, Password);
                var name = tool == "script" ? "script" : $"{tool} {lanes} lane{(lanes > 1 ? "s" : "")}";
                var run = tool switch
                {
                    "raw" => await YardstickAsync(name, raw, from, to, user, "--connections", $"{lanes}", "--sep", "/."),
                    "script" => await YardstickAsync(name, "python3", from, to, user, "--sep", "/."),
                    _ => await CaravanAsync(name, from, to, user, lanes),
                };
                if (round > 0) runs.Add(run);
                Console.Error.WriteLine(string.Create(CultureInfo.InvariantCulture, $"round {round} {run.Tool,-16} {messages / run.Seconds,8:0} messages/s"));
            }
        }
        Report(runs);
        return 0;
    }

    private async Task PlantAsync(DovecotServer server)
    {
        using var imap = await PlainImap.SignInAsync(server.PlainPort, "bench", Password);
        var body = new StringBuilder();
        var line = 0;
        while (body.Length < octets) body.Append(CultureInfo.InvariantCulture, $"Line {line++} of the log of the ferry that crosses the bay twice a day.\r\n");
        var perFolder = messages / folders;
        for (var f = 0; f < folders; f++)
        {
            var name = $"Log{f}";
            await imap.RunAsync($"CREATE {name}");
            await imap.AppendAsync(name, Enumerable.Range(0, perFolder).Select(i => (
                i % 3 == 0 ? "\\Seen" : "\\Seen \\Answered",
                new DateTimeOffset(2020, 1, 1, 8, 0, 0, TimeSpan.Zero).AddMinutes(i),
                Encoding.ASCII.GetBytes($"From: bridge@saltmarsh.example\r\nTo: office@saltmarsh.example\r\nSubject: Log {f}/{i}\r\nDate: Wed, 1 Jan 2020 08:00:00 +0000\r\nMessage-ID: <{f}.{i}@saltmarsh.example>\r\n\r\n{body}"))));
        }
    }

    /// <summary>All that a pass does in the service, ledger on disk included.</summary>
    private async Task<Run> CaravanAsync(string name, DovecotServer from, DovecotServer to, string user, int lanes)
    {
        var folder = Directory.CreateTempSubdirectory("caravan-bench").FullName;
        using var database = await Database.OpenAsync(Path.Combine(folder, "caravan.db"), CancellationToken.None);
        await database.WriteAsync(db =>
        {
            var row = new MoveRow { Batch = "b", Name = "n", FromAccount = "bench", ToAccount = user, FromLogin = "bench", ToLogin = user };
            MoveStates.Apply(row, MoveState.New.Start(null, default), default);
            db.Moves.Add(row);
            return Task.CompletedTask;
        }, CancellationToken.None);
        var store = new MoveStore(database, TimeProvider.System);
        var cpu = Process.GetCurrentProcess().TotalProcessorTime;
        var watch = Stopwatch.StartNew();
        var claim = (await store.ClaimAsync("bench", CancellationToken.None))!;
        Service Service(DovecotServer server) =>
            new("s", new MailConnection(MailProtocol.Imap, "127.0.0.1", server.PlainPort, Security.None), new SignIn.Password(null), new Trust.System(), Limits.Default);
        var rules = new CarryRules([], new MailRules(null, null), Doubles.Pair);
        var order = new PassOrder(PassKind.First, new Side(Service(from), new Credentials("bench", "bench", Password)), new Side(Service(to), new Credentials(user, user, Password)), rules, lanes);
        var tally = new Tally();
        await new Pass(new Unlimited(), store.LedgerOf(claim), order, tally, _ => { }).RunAsync(CancellationToken.None);
        var run = new Run(name, watch.Elapsed.TotalSeconds, (Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds);
        if (tally.Carried != messages) throw new InvalidOperationException($"{tally.Carried} of {messages} were carried.");
        return run;
    }

    private async Task<Run> YardstickAsync(string name, string tool, DovecotServer from, DovecotServer to, string user, params string[] more)
    {
        List<string> arguments = ["--src", $"127.0.0.1:{from.PlainPort}", "--dst", $"127.0.0.1:{to.PlainPort}", "--user", "bench", "--password", Password, "--dst-user", user, .. more];
        if (tool == "python3") arguments.Insert(0, Path.Combine(yardsticks, "naive.py"));
        using var answer = JsonDocument.Parse(await ExecuteAsync(tool, [.. arguments]));
        if (answer.RootElement.GetProperty("messages").GetInt64() != messages) throw new InvalidOperationException($"{name} did not copy everything.");
        return new Run(name, answer.RootElement.GetProperty("seconds").GetDouble(), answer.RootElement.GetProperty("cpu_s").GetDouble());
    }

    private void Report(List<Run> runs)
    {
        // The median of the ratios of each round, not the ratio of medians: what slowed a round slowed both.
        double Ratio(string tool, string yardstick) =>
            Median(runs.Where(r => r.Tool == yardstick).Zip(runs.Where(r => r.Tool == tool), (y, t) => y.Seconds / t.Seconds));
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"First pass, {messages} messages of {octets / 1000.0:0.#} kB in {folders} folders, median of {rounds} rounds"));
        Console.WriteLine($"{"",-16} {"messages/s",12} {"CPU s",8} {"× raw, same lanes",18} {"× script",9}");
        foreach (var tool in runs.Select(r => r.Tool).Distinct())
        {
            var mine = runs.Where(r => r.Tool == tool).ToList();
            var raw = tool.EndsWith("2 lanes", StringComparison.Ordinal) ? "raw 2 lanes" : "raw 1 lane";
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{tool,-16} {messages / Median(mine.Select(r => r.Seconds)),12:0} {Median(mine.Select(r => r.CpuSeconds)),8:0.00} {Ratio(tool, raw),18:0.00} {Ratio(tool, "script"),9:0.0}"));
        }
        Console.WriteLine(JsonSerializer.Serialize(new
        {
            benchmark = "first-pass", messages, octets, folders, rounds,
            raw1 = Math.Round(Ratio("caravan 1 lane", "raw 1 lane"), 3), raw2 = Math.Round(Ratio("caravan 2 lanes", "raw 2 lanes"), 3),
            script1 = Math.Round(Ratio("caravan 1 lane", "script"), 2), script2 = Math.Round(Ratio("caravan 2 lanes", "script"), 2),
        }));
    }

    private static double Median(IEnumerable<double> values)
    {
        var sorted = values.Order().ToImmutableArray();
        return sorted.Length % 2 == 1 ? sorted[sorted.Length / 2] : (sorted[(sorted.Length / 2) - 1] + sorted[sorted.Length / 2]) / 2;
    }

    private static async Task<string> ExecuteAsync(string command, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(command, arguments) { RedirectStandardOutput = true })!;
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return process.ExitCode == 0 ? output : throw new InvalidOperationException($"{command} ended with {process.ExitCode}.");
    }

    /// <summary>One move alone needs no sharing of connections.</summary>
    private sealed class Unlimited : IMailAccounts
    {
        public async Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel) => await ImapMailAccount.OpenAsync(service, credentials, null, null, null, cancel);

        public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) => await OpenAsync(service, credentials, cancel);
    }
}
