using System.Text.Json;

namespace EasyCaravan.Bench;

/// <summary>
/// A first pass between two Dovecots, beside the yardsticks in the same run: interleaved, onto a fresh account each time.
/// </summary>
internal sealed class FirstPass(
    int messages,
    int octets,
    int folders,
    int rounds,
    double delay,
    string[] without,
    int[] movesAtOnce,
    string yardsticks
)
{
    public async Task<int> RunAsync()
    {
        await using var rig = await Rig.StartAsync(yardsticks, delay, without);
        var several = movesAtOnce.Where(m => m > 1).ToList();
        // The script goes one message at a time: from afar a share of the mail tells its rate as well.
        var share = delay > 0 ? Math.Max(folders, messages / 60) : messages;
        await rig.InviteAsync(
            ["bench", "share", .. Enumerable.Range(0, movesAtOnce.Max()).Select(i => $"part{i}")],
            [.. Users()],
            Math.Min(octets, 4_000)
        );
        await Rig.PlantAsync(rig.From, "bench", messages, octets, folders);
        if (share != messages)
            await Rig.PlantAsync(rig.From, "share", share, octets, folders);
        // With more accounts each gets its part of the mail, so that the sum stays the same.
        foreach (var many in several)
            for (var i = 0; i < many; i++)
                if (many == several.Max())
                    await Rig.PlantAsync(rig.From, $"part{i}", messages / many, octets, folders);

        var runs = new List<Run>();
        var batch = without.Contains("MULTIAPPEND") ? 1 : 200;
        for (var round = 0; round <= rounds; round++)
        {
            // Every round does each once, so that what else the machine does strikes all alike. The first warms up and is not counted.
            var now = new List<Run>();
            foreach (var lanes in new[] { 1, 2 })
            {
                if (!without.Contains("LITERAL+"))
                    now.Add(await rig.RawAsync($"raw, {Lanes(lanes)}", "bench", $"raw{lanes}-{round}", lanes, batch));
                now.Add(await rig.CarryAsync($"Easy Caravan, {Lanes(lanes)}", [("bench", $"ours{lanes}-{round}")], lanes, 1));
            }
            // What the servers make of many accounts at once is theirs: the raw copier tells it.
            if (several.Count > 0 && !without.Contains("LITERAL+"))
                now.Add(
                    await rig.RawAtOnceAsync(
                        $"raw, {several.Max()} accounts at once",
                        [.. Enumerable.Range(0, several.Max()).Select(i => ($"part{i}", $"rawpart{i}-{round}"))],
                        batch
                    )
                );
            foreach (var many in several)
                now.Add(
                    await rig.CarryAsync(
                        $"Easy Caravan, {many} moves at once",
                        [.. Enumerable.Range(0, several.Max()).Select(i => ($"part{i}", $"part{many}-{i}-{round}"))],
                        2,
                        many
                    )
                );
            if (round > 0)
                now.Add(await rig.ScriptAsync("script", share == messages ? "bench" : "share", $"script-{round}"));
            if (round > 0)
                runs.AddRange(now);
            Console.Error.WriteLine($"round {round}: {string.Join("; ", now.Select(r => $"{r.Tool} {r.PerSecond:0}/s"))}");
        }
        var where = delay > 0 ? $"{delay:0} ms away" : "near";
        Rig.Print(
            $"First pass, {messages} messages of {octets / 1000.0:0.#} kB in {folders} folders, {where}"
                + $"{(without.Length > 0 ? $", without {string.Join(" and ", without)}" : "")}, median of {rounds} rounds",
            runs
        );
        double? Against(string tool, string yardstick) =>
            runs.Any(r => r.Tool == tool) && runs.Any(r => r.Tool == yardstick) ? Rig.Ratio(runs, tool, yardstick) : null;
        Console.WriteLine(
            "\n"
                + JsonSerializer.Serialize(
                    new
                    {
                        benchmark = "first-pass",
                        messages,
                        octets,
                        folders,
                        rounds,
                        delay,
                        without,
                        raw1 = Against("Easy Caravan, 1 lane", "raw, 1 lane"),
                        raw2 = Against("Easy Caravan, 2 lanes", "raw, 2 lanes"),
                        script1 = Against("Easy Caravan, 1 lane", "script"),
                        script2 = Against("Easy Caravan, 2 lanes", "script"),
                        atOnce = several.ToDictionary(m => m, m => Against($"Easy Caravan, {m} moves at once", "Easy Caravan, 2 lanes")),
                        rawAtOnce = several.Count > 0
                            ? Against($"Easy Caravan, {several.Max()} moves at once", $"raw, {several.Max()} accounts at once")
                            : null,
                        rawAtOnceOfTwoLanes = several.Count > 0 ? Against($"raw, {several.Max()} accounts at once", "raw, 2 lanes") : null,
                        peakMegabytes = runs.Where(r => r.Tool.StartsWith("Easy", StringComparison.Ordinal))
                            .GroupBy(r => r.Tool)
                            .ToDictionary(g => g.Key, g => Rig.Median(g.Select(r => r.PeakMegabytes))),
                    }
                )
        );
        return 0;
    }

    private static string Lanes(int lanes) => lanes == 1 ? "1 lane" : $"{lanes} lanes";

    private IEnumerable<string> Users()
    {
        for (var round = 0; round <= rounds; round++)
        {
            foreach (var lanes in new[] { 1, 2 })
            {
                yield return $"raw{lanes}-{round}";
                yield return $"ours{lanes}-{round}";
            }
            yield return $"script-{round}";
            for (var i = 0; i < movesAtOnce.Max(); i++)
            {
                yield return $"rawpart{i}-{round}";
                foreach (var many in movesAtOnce)
                    yield return $"part{many}-{i}-{round}";
            }
        }
    }
}
