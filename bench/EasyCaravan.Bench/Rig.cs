using System.Diagnostics;
using System.Globalization;
using System.Net.NetworkInformation;
using System.Text;
using System.Text.Json;
using EasyCaravan.Peers;

namespace EasyCaravan.Bench;

/// <summary>One timed run.</summary>
/// <param name="PeakMegabytes">The most memory that the process held; 0 where nobody measured.</param>
/// <param name="RoundTrips">Waits for an answer on the busiest connection, after the sign-in; 0 where nobody counted.</param>
/// <param name="ServersCpuSeconds">What both servers used meanwhile; 0 where nobody measured.</param>
internal sealed record Run(
    string Tool,
    long Messages,
    double Seconds,
    double CpuSeconds,
    double PeakMegabytes = 0,
    long RoundTrips = 0,
    double ServersCpuSeconds = 0
)
{
    public double PerSecond => Messages / Seconds;
}

/// <summary>Two Dovecots of our own, the distance to them, and whatever is measured between them.</summary>
internal sealed class Rig : IAsyncDisposable
{
    public const string Password = "secret";

    private readonly string _yardsticks;
    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-bench").FullName;
    private readonly List<Process> _delays = [];

    private Rig(DovecotServer from, DovecotServer to, string yardsticks) => (From, To, _yardsticks) = (from, to, yardsticks);

    public DovecotServer From { get; }

    public DovecotServer To { get; }

    /// <summary>Ports as they are reached: through the delay, if there is one.</summary>
    public int FromPort { get; private set; }

    public int ToPort { get; private set; }

    public string RawCopy => Path.Combine(_folder, "rawcopy");

    /// <param name="milliseconds">A round trip to either server.</param>
    /// <param name="without">Capabilities that the to side shall not have.</param>
    public static async Task<Rig> StartAsync(string yardsticks, double milliseconds, params string[] without)
    {
        var rig = new Rig(
            await DovecotServer.StartAsync('/'),
            await DovecotServer.StartAsync('.', new DovecotManners { Without = without }),
            yardsticks
        );
        await ExecuteAsync("gcc", "-O2", "-pthread", "-o", rig.RawCopy, Path.Combine(yardsticks, "rawcopy.c"));
        (rig.FromPort, rig.ToPort) = (rig.From.PlainPort, rig.To.PlainPort);
        if (milliseconds > 0)
        {
            var delay = Path.Combine(rig._folder, "delay");
            await ExecuteAsync("gcc", "-O2", "-pthread", "-w", "-o", delay, Path.Combine(yardsticks, "delay.c"));
            rig.FromPort = rig.Delay(delay, rig.From.PlainPort, milliseconds / 2);
            rig.ToPort = rig.Delay(delay, rig.To.PlainPort, milliseconds / 2);
            await AwaitAsync(rig.FromPort);
            await AwaitAsync(rig.ToPort);
        }
        return rig;
    }

    /// <summary>By looking at the machine's listeners: the delay takes every connection for somebody's session.</summary>
    private static async Task AwaitAsync(int port)
    {
        while (IPGlobalProperties.GetIPGlobalProperties().GetActiveTcpListeners().All(l => l.Port != port))
            await Task.Delay(10);
    }

    private int Delay(string program, int port, double oneWay)
    {
        var listen = DovecotServer.FreePort();
        _delays.Add(Process.Start(program, [$"{listen}", $"{port}", oneWay.ToString(CultureInfo.InvariantCulture)]));
        return listen;
    }

    /// <summary>Lets accounts in, and with them those with which each process warms up.</summary>
    /// <param name="octets">In each message of theirs.</param>
    public async Task InviteAsync(IReadOnlyList<string> from, IReadOnlyList<string> to, int octets)
    {
        From.SetUsers([.. new[] { Carry.Warm, Carry.Brief }.Concat(from).Select(u => (u, Password, (string?)null))]);
        To.SetUsers([.. new[] { Carry.Warm, Carry.Brief }.Concat(to).Select(u => (u, Password, (string?)null))]);
        await PlantAsync(From, Carry.Warm, 1_200, octets, 40);
        await PlantAsync(From, Carry.Brief, 50, octets, 5);
    }

    /// <summary>Fills an account with the logs of a ferry.</summary>
    public static async Task PlantAsync(DovecotServer server, string account, int messages, int octets, int folders)
    {
        using var imap = await PlainImap.SignInAsync(server.PlainPort, account, Password);
        var body = new StringBuilder();
        for (var line = 0; body.Length < octets; line++)
            body.Append(CultureInfo.InvariantCulture, $"Line {line} of the log of the ferry that crosses the bay twice a day.\r\n");
        for (var f = 0; f < folders; f++)
        {
            await imap.RunAsync($"CREATE Log{f}");
            await imap.AppendAsync($"Log{f}", Enumerable.Range(0, messages / folders).Select(i => Message(account, f, i, body.ToString())));
        }
    }

    public static (string Flags, DateTimeOffset Date, byte[] Octets) Message(string account, int folder, int i, string body) =>
        (
            i % 3 == 0 ? "\\Seen" : "\\Seen \\Answered",
            new DateTimeOffset(2020, 1, 1, 8, 0, 0, TimeSpan.Zero).AddMinutes(i),
            Encoding.ASCII.GetBytes(
                $"From: bridge@saltmarsh.example\r\nTo: office@saltmarsh.example\r\nSubject: Log {folder}/{i}\r\n"
                    + $"Date: Wed, 1 Jan 2020 08:00:00 +0000\r\nMessage-ID: <{folder}.{i}.{account}@saltmarsh.example>\r\n\r\n{body}"
            )
        );

    /// <summary>All that passes do in the service, ledger on disk included, in a process of its own that is warm.</summary>
    /// <param name="accounts">Pairs of accounts that move at the same time.</param>
    /// <param name="store">A store to go on with; null: a fresh one, so that it is a first pass.</param>
    /// <param name="compare">Measured is the comparison of both sides, after the pass.</param>
    public async Task<Run> CarryAsync(
        string tool,
        IReadOnlyList<(string From, string To)> accounts,
        int lanes,
        int atOnce,
        string? store = null,
        bool compare = false,
        string? pack = null,
        string? open = null
    )
    {
        var file = store ?? Path.Combine(_folder, $"{Guid.NewGuid():N}.db");
        string[] arguments =
        [
            typeof(Rig).Assembly.Location,
            "carry",
            "--from-port",
            $"{FromPort}",
            "--to-port",
            $"{ToPort}",
            "--warm-from-port",
            $"{From.PlainPort}",
            "--warm-to-port",
            $"{To.PlainPort}",
            "--store",
            file,
            "--lanes",
            $"{lanes}",
            "--at-once",
            $"{atOnce}",
            .. compare ? (string[])["--compare"] : [],
            .. pack is not null ? (string[])["--pack", pack] : [],
            .. open is not null ? (string[])["--open", open] : [],
            "--servers",
            $"{From.ProcessId}",
            $"{To.ProcessId}",
            "--accounts",
            .. accounts.Select(a => $"{a.From}={a.To}"),
        ];
        using var answer = JsonDocument.Parse(
            (await ExecuteAsync("dotnet", arguments)).Split('\n', StringSplitOptions.RemoveEmptyEntries)[^1]
        );
        var root = answer.RootElement;
        return new Run(
            tool,
            root.GetProperty("messages").GetInt64(),
            root.GetProperty("seconds").GetDouble(),
            root.GetProperty("cpu_s").GetDouble(),
            root.GetProperty("peak_mb").GetDouble(),
            root.GetProperty("round_trips").GetInt64(),
            root.GetProperty("servers_cpu_s").GetDouble()
        );
    }

    public Task<Run> RawAsync(string name, string from, string to, int connections, int batch = 200) =>
        YardstickAsync(
            name,
            RawCopy,
            "--src",
            $"127.0.0.1:{FromPort}",
            "--dst",
            $"127.0.0.1:{ToPort}",
            "--user",
            from,
            "--password",
            Password,
            "--dst-user",
            to,
            "--connections",
            $"{connections}",
            "--batch",
            $"{batch}",
            "--sep",
            "/."
        );

    /// <summary>Reads all messages of both sides at once, compares nothing.</summary>
    public async Task<Run> RawFetchAsync(string name, string from, string to)
    {
        return await YardstickAsync(
            name,
            await RawFetchProgramAsync(),
            "--src",
            $"127.0.0.1:{FromPort}",
            "--dst",
            $"127.0.0.1:{ToPort}",
            "--user",
            from,
            "--password",
            Password,
            "--dst-user",
            to
        );
    }

    /// <summary>Reads all messages of the from side into a file, which is safe on the disk in the end.</summary>
    public async Task<Run> RawFetchToDiskAsync(string name, string from, string file) =>
        await YardstickAsync(
            name,
            await RawFetchProgramAsync(),
            "--src",
            $"127.0.0.1:{FromPort}",
            "--disk",
            file,
            "--user",
            from,
            "--password",
            Password
        );

    private async Task<string> RawFetchProgramAsync()
    {
        var program = Path.Combine(_folder, "rawfetch");
        if (!File.Exists(program))
            await ExecuteAsync("gcc", "-O2", "-pthread", "-o", program, Path.Combine(_yardsticks, "rawfetch.c"));
        return program;
    }

    /// <summary>As many raw copiers as there are accounts, all at the same time.</summary>
    public async Task<Run> RawAtOnceAsync(string name, IReadOnlyList<(string From, string To)> accounts, int batch)
    {
        var (before, watch) = (Carry.CpuOf([From.ProcessId, To.ProcessId]), Stopwatch.StartNew());
        var all = await Task.WhenAll(accounts.Select(a => RawAsync(name, a.From, a.To, 1, batch)));
        return new Run(
            name,
            all.Sum(r => r.Messages),
            watch.Elapsed.TotalSeconds,
            all.Sum(r => r.CpuSeconds),
            ServersCpuSeconds: Carry.CpuOf([From.ProcessId, To.ProcessId]) - before
        );
    }

    public Task<Run> ScriptAsync(string name, string from, string to) =>
        YardstickAsync(
            name,
            "python3",
            Path.Combine(_yardsticks, "naive.py"),
            "--src",
            $"127.0.0.1:{FromPort}",
            "--dst",
            $"127.0.0.1:{ToPort}",
            "--user",
            from,
            "--password",
            Password,
            "--dst-user",
            to,
            "--sep",
            "/."
        );

    /// <summary>One wide fetch of sizes and the four header fields of every folder.</summary>
    public Task<Run> HeadersAsync(string name, string user) =>
        YardstickAsync(
            name,
            "python3",
            Path.Combine(_yardsticks, "headers.py"),
            "--src",
            $"127.0.0.1:{FromPort}",
            "--user",
            user,
            "--password",
            Password
        );

    /// <summary>Many accounts, one script after the other over them.</summary>
    public async Task<Run> ScriptsAsync(string name, IReadOnlyList<(string From, string To)> accounts)
    {
        var (messages, cpu, watch) = (0L, 0.0, Stopwatch.StartNew());
        foreach (var (from, to) in accounts)
        {
            var one = await ScriptAsync(name, from, to);
            (messages, cpu) = (messages + one.Messages, cpu + one.CpuSeconds);
        }
        return new Run(name, messages, watch.Elapsed.TotalSeconds, cpu);
    }

    private async Task<Run> YardstickAsync(string name, string program, params string[] arguments)
    {
        var before = Carry.CpuOf([From.ProcessId, To.ProcessId]);
        using var answer = JsonDocument.Parse(await ExecuteAsync(program, arguments));
        var root = answer.RootElement;
        return new Run(
            name,
            root.GetProperty("messages").GetInt64(),
            root.GetProperty("seconds").GetDouble(),
            root.GetProperty("cpu_s").GetDouble(),
            ServersCpuSeconds: Carry.CpuOf([From.ProcessId, To.ProcessId]) - before
        );
    }

    public static double Median(IEnumerable<double> values)
    {
        var sorted = values.Order().ToList();
        return sorted.Count % 2 == 1 ? sorted[sorted.Count / 2] : (sorted[(sorted.Count / 2) - 1] + sorted[sorted.Count / 2]) / 2;
    }

    /// <summary>The median of the ratios of each round, not the ratio of medians: what slowed a round slowed both.</summary>
    public static double Ratio(IReadOnlyList<Run> runs, string tool, string yardstick) =>
        Math.Round(
            Median(runs.Where(r => r.Tool == tool).Zip(runs.Where(r => r.Tool == yardstick), (t, y) => t.PerSecond / y.PerSecond)),
            3
        );

    public static void Print(string title, IReadOnlyList<Run> runs, string unit = "messages")
    {
        Console.WriteLine(
            $"\n{title}\n\n| | {unit}/s | s | CPU s | servers' CPU s | peak MB | round trips |\n|---|---|---|---|---|---|---|"
        );
        foreach (var tool in runs.GroupBy(r => r.Tool))
        {
            string Cell(Func<Run, double> value, string form) =>
                Median(tool.Select(value)) is > 0 and var median ? median.ToString(form, CultureInfo.InvariantCulture) : "";
            Console.WriteLine(
                $"| {tool.Key} | {Cell(r => r.PerSecond, "0")} | {Cell(r => r.Seconds, "0.000")} | {Cell(r => r.CpuSeconds, "0.00")} | "
                    + $"{Cell(r => r.ServersCpuSeconds, "0.00")} | {Cell(r => r.PeakMegabytes, "0")} | {Cell(r => r.RoundTrips, "0")} |"
            );
        }
    }

    public static async Task<string> ExecuteAsync(string command, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(command, arguments) { RedirectStandardOutput = true })!;
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return process.ExitCode == 0 ? output : throw new InvalidOperationException($"{command} ended with {process.ExitCode}.");
    }

    public async ValueTask DisposeAsync()
    {
        foreach (var delay in _delays)
        {
            delay.Kill();
            delay.Dispose();
        }
        await From.DisposeAsync();
        await To.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }
}
