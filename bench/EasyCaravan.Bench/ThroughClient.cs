using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json;
using EasyCaravan.Peers;

namespace EasyCaravan.Bench;

/// <summary>
/// A first pass as a user meets it: the real service, started just now or up for a while, many folders, and the command-line client that
/// waits for it. The raw copier moves the same mail beside it.
/// </summary>
internal sealed class ThroughClient(int messages, int octets, int folders, int rounds, string caravan, string yardsticks)
{
    /// <summary>The first meets a service that has just started; the others one that has carried something.</summary>
    private const int People = 3;

    private readonly string _caravan = Path.GetFullPath(caravan);

    /// <param name="Pass">Seconds from the beginning of the pass to its end, as the service tells it.</param>
    /// <param name="Command">Seconds of the command that started it and waited.</param>
    private sealed record Met(double Pass, double Command);

    public async Task<int> RunAsync()
    {
        // Whatever is out of date is built before anything is measured.
        await Rig.ExecuteAsync(_caravan, "--version");
        await using var rig = await Rig.StartAsync(yardsticks, 0);
        await rig.InviteAsync(
            [.. Enumerable.Range(0, People).Select(i => $"m{i}")],
            [.. Enumerable.Range(0, rounds + 1).SelectMany(r => Enumerable.Range(0, People).Select(i => $"r{r}m{i}").Append($"raw{r}"))],
            Math.Min(octets, 4_000)
        );
        for (var i = 0; i < People; i++)
            await Rig.PlantAsync(rig.From, $"m{i}", messages, octets, folders);

        var (cold, warm, raw, reading) = (new List<double>(), new List<double>(), new List<double>(), new List<double>());
        var beside = new List<double>();
        var coldToWarm = new List<double>();
        for (var round = 0; round <= rounds; round++)
        {
            var copied = await rig.RawAsync("raw", "m0", $"raw{round}", 2);
            var met = await RoundAsync(rig, round, round == 0 ? [] : reading);
            Console.Error.WriteLine(
                $"round {round}: raw {copied.Seconds:0.00} s; cold {met[0].Pass:0.00} s, then "
                    + $"{string.Join(", ", met.Skip(1).Select(m => $"{m.Pass:0.00}"))} s; beside the pass "
                    + $"{string.Join(", ", met.Select(m => $"{m.Command - m.Pass:0.00}"))} s"
            );
            if (round == 0)
                continue;
            raw.Add(copied.Seconds);
            cold.Add(copied.Seconds / met[0].Pass);
            warm.AddRange(met.Skip(1).Select(m => copied.Seconds / m.Pass));
            coldToWarm.Add(met.Skip(1).Average(m => m.Pass) / met[0].Pass);
            beside.AddRange(met.Select(m => m.Command - m.Pass));
        }
        Console.WriteLine(
            JsonSerializer.Serialize(
                new
                {
                    benchmark = "through-client",
                    messages,
                    octets,
                    folders,
                    rounds,
                    rawSeconds = Round(Rig.Median(raw)),
                    coldToRaw = Round(Rig.Median(cold)),
                    warmToRaw = Round(Rig.Median(warm)),
                    coldToWarm = Round(Rig.Median(coldToWarm)),
                    commandBesidePassSeconds = Round(Rig.Median(beside)),
                    readingCommandSeconds = Round(Rig.Median(reading)),
                }
            )
        );
        return 0;
    }

    private static double Round(double value) => Math.Round(value, 3);

    private async Task<List<Met>> RoundAsync(Rig rig, int round, List<double> reading)
    {
        var folder = Directory.CreateTempSubdirectory("caravan-met").FullName;
        var address = $"http://127.0.0.1:{DovecotServer.FreePort()}";
        var start = new ProcessStartInfo(_caravan, ["serve", "--data", folder, "--listen", address])
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
            await ReadyAsync(api);
            var tokenFile = Path.Combine(folder, "admin.token");
            api.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
                "Bearer",
                (await File.ReadAllTextAsync(tokenFile)).Trim()
            );
            await WritePlanAsync(rig, round, folder);
            await ClientAsync(address, tokenFile, "plan", "apply", Path.Combine(folder, "plan.yaml"));
            var met = new List<Met>();
            for (var i = 0; i < People; i++)
            {
                var command = await ClientAsync(address, tokenFile, "start", "crew", "--move", $"m{i}", "--wait");
                met.Add(new Met(await PassSecondsAsync(api, $"m{i}"), command));
            }
            for (var i = 0; i < 5; i++)
                reading.Add(await ClientAsync(address, tokenFile, "moves", "crew"));
            return met;
        }
        finally
        {
            service.Kill(entireProcessTree: true);
            await service.WaitForExitAsync();
            Directory.Delete(folder, recursive: true);
        }
    }

    internal static async Task ReadyAsync(HttpClient api)
    {
        var patience = Stopwatch.StartNew();
        while (true)
        {
            try
            {
                if ((await api.GetAsync(new Uri("health/ready", UriKind.Relative))).IsSuccessStatusCode)
                    return;
            }
            catch (HttpRequestException) when (patience.Elapsed < TimeSpan.FromSeconds(60))
            {
                // Not yet.
            }
            await Task.Delay(50);
        }
    }

    private static async Task WritePlanAsync(Rig rig, int round, string folder)
    {
        await File.WriteAllTextAsync(
            Path.Combine(folder, "plan.yaml"),
            string.Create(
                CultureInfo.InvariantCulture,
                $$"""
                services:
                  lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: {{rig.FromPort}}, security: none} }
                  northquay: {mail: {speaks: imap, host: 127.0.0.1, port: {{rig.ToPort}}, security: none} }
                routes: {crossing: {from: lanternpost, to: northquay} }
                batches: {crew: {route: crossing, roster: crew.csv} }
                """
            )
        );
        await File.WriteAllTextAsync(
            Path.Combine(folder, "crew.csv"),
            "name,from_account,to_account,from_secret,to_secret\n"
                + string.Concat(Enumerable.Range(0, People).Select(i => $"m{i},m{i},r{round}m{i},{Rig.Password},{Rig.Password}\n"))
        );
    }

    /// <summary>Seconds from its start to its end, as a shell sees it.</summary>
    private async Task<double> ClientAsync(string address, string tokenFile, params string[] arguments)
    {
        var watch = Stopwatch.StartNew();
        await Rig.ExecuteAsync(_caravan, [.. arguments, "--service", address, "--token-file", tokenFile]);
        return watch.Elapsed.TotalSeconds;
    }

    private static async Task<double> PassSecondsAsync(HttpClient api, string account)
    {
        var detail = await api.GetFromJsonAsync<JsonElement>(new Uri($"api/v1/batches/crew/moves/{account}", UriKind.Relative));
        var pass = detail.GetProperty("passes")[0];
        return (pass.GetProperty("ended").GetDateTimeOffset() - pass.GetProperty("started").GetDateTimeOffset()).TotalSeconds;
    }
}
