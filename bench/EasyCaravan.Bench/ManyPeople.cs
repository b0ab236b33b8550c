using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using EasyCaravan.Peers;

namespace EasyCaravan.Bench;

/// <summary>
/// A plan of very many people, through the real service and client: how long it takes to apply, to apply again unchanged and with a few
/// changes, how long the boards take to answer afterwards, and how much memory the service needed at most.
/// </summary>
internal sealed class ManyPeople(int people, int batches, int rounds, string caravan)
{
    /// <summary>Questions to each board.</summary>
    private const int Questions = 60;

    private readonly string _caravan = Path.GetFullPath(caravan);

    public async Task<int> RunAsync()
    {
        // Whatever is out of date is built before anything is measured.
        await Rig.ExecuteAsync(_caravan, "--version");
        var (first, again, changed, peak) = (new List<double>(), new List<double>(), new List<double>(), new List<double>());
        var forecast = new List<double>();
        var boards = new Dictionary<string, List<double>>();
        for (var round = 0; round < rounds; round++)
        {
            var folder = Directory.CreateTempSubdirectory("caravan-many").FullName;
            var address = $"http://127.0.0.1:{DovecotServer.FreePort()}";
            var start = new ProcessStartInfo(_caravan, ["serve", "--data", Path.Combine(folder, "data"), "--listen", address])
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            };
            using var service = Process.Start(start)!;
            service.OutputDataReceived += (_, _) => { };
            service.ErrorDataReceived += (_, _) => { };
            service.BeginOutputReadLine();
            service.BeginErrorReadLine();
            try
            {
                using var api = new HttpClient { BaseAddress = new Uri(address) };
                await ThroughClient.ReadyAsync(api);
                var tokenFile = Path.Combine(folder, "data", "admin.token");
                var token = (await File.ReadAllTextAsync(tokenFile)).Trim();
                api.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
                await WritePlanAsync(folder, "s");
                first.Add(await ApplyAsync(folder, address, tokenFile));
                again.Add(await ApplyAsync(folder, address, tokenFile));
                await WritePlanAsync(folder, "t");
                changed.Add(await ApplyAsync(folder, address, tokenFile));
                foreach (
                    var board in new[]
                    {
                        "today",
                        "batches",
                        "batches/b1",
                        "batches/b1/moves?limit=200",
                        "batches/b1/moves?needsYou=true",
                        "services",
                        "batches/b1/timetable",
                    }
                )
                    (boards.TryGetValue(board, out var times) ? times : boards[board] = []).AddRange(await AskAsync(api, board));
                forecast.Add((await AskAsync(api, "batches/b1/forecast", 1))[0]);
                peak.Add(PeakMegabytes(service.Id));
            }
            finally
            {
                service.Kill(entireProcessTree: true);
                await service.WaitForExitAsync();
                Directory.Delete(folder, recursive: true);
            }
            Console.Error.WriteLine(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"round {round}: applied in {first[^1]:0.0} s, again {again[^1]:0.0} s, changed {changed[^1]:0.0} s; at most "
                        + $"{peak[^1]:0} MB"
                )
            );
        }
        Console.WriteLine(
            JsonSerializer.Serialize(
                new
                {
                    benchmark = "many-people",
                    people,
                    batches,
                    rounds,
                    applySeconds = Math.Round(Rig.Median(first), 2),
                    againSeconds = Math.Round(Rig.Median(again), 2),
                    changedSeconds = Math.Round(Rig.Median(changed), 2),
                    forecastSeconds = Math.Round(Rig.Median(forecast), 2),
                    peakMegabytes = Math.Round(peak.Max()),
                    boardsP95Milliseconds = boards.ToDictionary(b => b.Key, b => Math.Round(Percentile95(b.Value) * 1000, 1)),
                }
            )
        );
        return 0;
    }

    /// <param name="secret">Of the last person of each batch; all others keep theirs.</param>
    private async Task WritePlanAsync(string folder, string secret)
    {
        var plan = new StringBuilder(
            """
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: 9, security: none} }
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: 9, security: none} }
            routes: {crossing: {from: lanternpost, to: northquay} }
            batches:

            """
        );
        var each = people / batches;
        for (var b = 0; b < batches; b++)
        {
            plan.Append(CultureInfo.InvariantCulture, $"  b{b}: {{route: crossing, roster: b{b}.csv}}\n");
            var roster = new StringBuilder("name,from_account,to_account,from_secret,to_secret\n");
            for (var p = 0; p < each; p++)
            {
                var account = $"person{b}.{p}@saltmarsh.example";
                roster.Append(
                    CultureInfo.InvariantCulture,
                    $"Person {b} {p},{account},{account},secret{b}.{p},{(p == each - 1 ? secret : "s")}{p}\n"
                );
            }
            await File.WriteAllTextAsync(Path.Combine(folder, $"b{b}.csv"), roster.ToString());
        }
        await File.WriteAllTextAsync(Path.Combine(folder, "plan.yaml"), plan.ToString());
    }

    private async Task<double> ApplyAsync(string folder, string address, string tokenFile)
    {
        var watch = Stopwatch.StartNew();
        await Rig.ExecuteAsync(
            _caravan,
            "plan",
            "apply",
            Path.Combine(folder, "plan.yaml"),
            "--service",
            address,
            "--token-file",
            tokenFile
        );
        return watch.Elapsed.TotalSeconds;
    }

    private static async Task<List<double>> AskAsync(HttpClient api, string board, int questions = Questions)
    {
        var times = new List<double>();
        for (var i = 0; i < questions; i++)
        {
            var watch = Stopwatch.StartNew();
            using var answer = await api.GetAsync(new Uri($"api/v1/{board}", UriKind.Relative));
            answer.EnsureSuccessStatusCode();
            await answer.Content.ReadAsByteArrayAsync();
            times.Add(watch.Elapsed.TotalSeconds);
        }
        return times;
    }

    private static double Percentile95(List<double> times) => times.Order().ElementAt((int)(times.Count * 0.95));

    /// <summary>The most memory that a process had at any moment.</summary>
    private static double PeakMegabytes(int process)
    {
        var line = File.ReadLines($"/proc/{process}/status").First(l => l.StartsWith("VmHWM:", StringComparison.Ordinal));
        return double.Parse(line.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture) / 1024;
    }
}
