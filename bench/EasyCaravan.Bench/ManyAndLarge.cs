using System.Text.Json;

namespace EasyCaravan.Bench;

/// <summary>Many small mailboxes, and few messages that are very large.</summary>
internal sealed class ManyAndLarge(int accounts, int rounds, string yardsticks)
{
    public async Task<int> RunAsync()
    {
        await using var rig = await Rig.StartAsync(yardsticks, 0);
        var (small, large) = (Enumerable.Range(0, accounts), Enumerable.Range(0, 8));
        await rig.InviteAsync(
            [.. small.Select(i => $"p{i}"), .. large.Select(i => $"large{i}")],
            [
                .. Enumerable
                    .Range(0, rounds + 1)
                    .SelectMany(r => small.SelectMany(i => new[] { $"p{i}-{r}", $"s{i}-{r}" }).Concat(large.Select(i => $"large{i}-{r}"))),
            ],
            4_000
        );
        await Parallel.ForEachAsync(small, new ParallelOptions { MaxDegreeOfParallelism = 4 }, async (i, _) =>
            await Rig.PlantAsync(rig.From, $"p{i}", 50, 4_000, 5)
        );
        foreach (var i in large)
            await Rig.PlantAsync(rig.From, $"large{i}", 1, 50_000_000, 1);
        // The script needs its time for each account: a tenth of them tells its rate as well.
        var some = Math.Max(1, accounts / 10);
        var runs = new List<Run>();
        for (var round = 0; round <= rounds; round++)
        {
            var now = new List<Run>
            {
                await rig.CarryAsync("small mailboxes, 16 at once", [.. small.Select(i => ($"p{i}", $"p{i}-{round}"))], 2, 16),
                await rig.ScriptsAsync("script", [.. Enumerable.Range(0, some).Select(i => ($"p{i}", $"s{i}-{round}"))]),
                await rig.CarryAsync("nothing large", [("p0", $"large0-{round}")], 2, 1),
                await rig.CarryAsync("eight of 50 MB at once", [.. large.Select(i => ($"large{i}", $"large{i}-{round}"))], 2, 8),
            };
            if (round > 0)
                runs.AddRange(now);
            Console.Error.WriteLine(
                $"round {round}: {string.Join("; ", now.Select(r => $"{r.Tool} {r.Seconds:0.0} s {r.PeakMegabytes:0} MB"))}"
            );
        }
        Rig.Print($"{accounts} mailboxes of 50 messages of 4 kB, and eight messages of 50 MB, median of {rounds} rounds", runs);
        double Peak(string tool) => Rig.Median(runs.Where(r => r.Tool == tool).Select(r => r.PeakMegabytes));
        Console.WriteLine(
            "\n"
                + JsonSerializer.Serialize(
                    new
                    {
                        benchmark = "many-and-large",
                        accounts,
                        rounds,
                        script = Rig.Ratio(runs, "small mailboxes, 16 at once", "script"),
                        ourCpuOfServers = Math.Round(
                            Rig.Median(
                                runs.Where(r => r.Tool == "small mailboxes, 16 at once").Select(r => r.CpuSeconds / r.ServersCpuSeconds)
                            ),
                            2
                        ),
                        peakMegabytes = Peak("small mailboxes, 16 at once"),
                        largeAddsMegabytes = Peak("eight of 50 MB at once") - Peak("nothing large"),
                    }
                )
        );
        return 0;
    }
}
