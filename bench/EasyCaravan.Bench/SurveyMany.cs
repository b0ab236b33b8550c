using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Json;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Peers;
using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Bench;

/// <summary>A survey of many accounts between two Dovecots, beside the script that one would write, in the same run.</summary>
internal sealed class SurveyMany(int accounts, int messages, int rounds, string yardsticks)
{
    private const string Password = "secret";

    /// <summary>As many as the service runs side by side.</summary>
    private const int AtOnce = 8;

    private static readonly string[] s_folders = ["INBOX", "Sent", "Work", "Work/Ramp", "Crew"];

    public async Task<int> RunAsync()
    {
        await using var from = await DovecotServer.StartAsync('/');
        await using var to = await DovecotServer.StartAsync('.');
        var users = Enumerable.Range(0, accounts).Select(i => ($"p{i}", Password, (string?)null)).ToList();
        from.SetUsers(users);
        to.SetUsers(users);
        await Parallel.ForEachAsync(Enumerable.Range(0, accounts), new ParallelOptions { MaxDegreeOfParallelism = AtOnce }, async (i, _) =>
            await PlantAsync(from, i)
        );

        var ratios = new List<double>();
        var times = new List<(double Ours, double Script)>();
        for (var round = 0; round <= rounds; round++)
        {
            var ours = await CaravanAsync(from, to);
            var script = await ScriptAsync(from, to);
            if (round == 0)
                continue;
            times.Add((ours, script));
            ratios.Add(script / ours);
            Console.Error.WriteLine(string.Create(CultureInfo.InvariantCulture, $"round {round}: {ours:0.0} s, script {script:0.0} s"));
        }
        var (ourMedian, scriptMedian, ratio) = (Median(times.Select(t => t.Ours)), Median(times.Select(t => t.Script)), Median(ratios));
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"{accounts} accounts of {messages} messages, {rounds} rounds\n\n| | s | × script |\n|---|---|---|\n"
                    + $"| survey, {AtOnce} at a time | {ourMedian:0.0} | {ratio:0.0} |\n| script | {scriptMedian:0.0} | 1 |\n"
            )
        );
        Console.WriteLine(
            JsonSerializer.Serialize(
                new
                {
                    bench = "survey",
                    accounts,
                    messages,
                    rounds,
                    seconds = Math.Round(ourMedian, 2),
                    scriptSeconds = Math.Round(scriptMedian, 2),
                    timesScript = Math.Round(ratio, 2),
                }
            )
        );
        return 0;
    }

    private async Task PlantAsync(DovecotServer server, int person)
    {
        using var imap = await PlainImap.SignInAsync(server.PlainPort, $"p{person}", Password);
        foreach (var folder in s_folders.Skip(2))
            await imap.RunAsync($"CREATE \"{folder}\"");
        for (var f = 0; f < s_folders.Length; f++)
        {
            await imap.AppendAsync(
                s_folders[f],
                Enumerable
                    .Range(0, messages / s_folders.Length)
                    .Select(i =>
                        (
                            "\\Seen",
                            new DateTimeOffset(2020, 1, 1, 8, 0, 0, TimeSpan.Zero).AddDays(i),
                            Encoding.ASCII.GetBytes(
                                $"From: bridge@saltmarsh.example\r\nSubject: Log {f}/{i}\r\n"
                                    + $"Message-ID: <{person}.{f}.{i}@saltmarsh.example>\r\n\r\nAll well.\r\n"
                            )
                        )
                    )
            );
        }
    }

    private async Task<double> CaravanAsync(DovecotServer from, DovecotServer to)
    {
        Service Service(string name, DovecotServer server) =>
            new(
                name,
                new MailConnection(MailProtocol.Imap, "127.0.0.1", server.PlainPort, Security.None),
                new SignIn.Password(null),
                new Trust.System(),
                Limits.Default
            );
        var (fromService, toService) = (Service("a", from), Service("b", to));
        var rules = new CarryRules([], new MailRules(null, null), Doubles.Pair);
        var watch = Stopwatch.StartNew();
        await Parallel.ForEachAsync(
            Enumerable.Range(0, accounts),
            new ParallelOptions { MaxDegreeOfParallelism = AtOnce },
            async (i, cancel) =>
            {
                var who = new Credentials($"p{i}", $"p{i}", Password);
                var order = new SurveyOrder(new SurveySide(fromService, who, null), new SurveySide(toService, who, null), rules, null);
                var inventory = await new Survey(new Unlimited(), order, new Tally(), TimeProvider.System).TakeAsync(cancel);
                if (inventory.From?.Messages != messages / s_folders.Length * s_folders.Length)
                    throw new InvalidOperationException(
                        $"{who.Account}: {inventory.From?.Messages} messages were seen. {inventory.FromFault}"
                    );
            }
        );
        return watch.Elapsed.TotalSeconds;
    }

    private async Task<double> ScriptAsync(DovecotServer from, DovecotServer to)
    {
        var watch = Stopwatch.StartNew();
        string[] arguments =
        [
            Path.Combine(yardsticks, "survey.py"),
            "--from-port",
            $"{from.PlainPort}",
            "--to-port",
            $"{to.PlainPort}",
            "--password",
            Password,
            "--accounts",
            $"{accounts}",
        ];
        using var script = Process.Start(new ProcessStartInfo("python3", arguments) { RedirectStandardOutput = true })!;
        await script.WaitForExitAsync();
        return script.ExitCode == 0 ? watch.Elapsed.TotalSeconds : throw new InvalidOperationException("The script failed.");
    }

    private static double Median(IEnumerable<double> values)
    {
        var sorted = values.Order().ToList();
        return sorted[sorted.Count / 2];
    }

    private sealed class Unlimited : IMailAccounts
    {
        public async Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
            await ImapMailAccount.OpenAsync(service, credentials, null, null, null, cancel);

        public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
            await OpenAsync(service, credentials, cancel);
    }
}
