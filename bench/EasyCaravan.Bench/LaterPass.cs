using System.Text.Json;
using EasyCaravan.Peers;

namespace EasyCaravan.Bench;

/// <summary>What passes cost after the first: nothing changed, a little changed, and a to side that already holds everything.</summary>
internal sealed class LaterPass(int messages, int folders, int rounds, double delay, string yardsticks)
{
    private const int Octets = 1_000;

    public async Task<int> RunAsync()
    {
        await using var rig = await Rig.StartAsync(yardsticks, delay);
        await rig.InviteAsync(["bench"], ["held", .. Enumerable.Range(0, rounds + 1).Select(i => $"full-{i}")], Octets);
        await Rig.PlantAsync(rig.From, "bench", messages, Octets, folders);
        var store = Path.Combine(Directory.CreateTempSubdirectory("caravan-bench").FullName, "caravan.db");
        await rig.CarryAsync("first", [("bench", "held")], 2, 1, store);
        var octetsPerMessage = (double)new FileInfo(store).Length / messages;
        var runs = new List<Run>();
        var changes = 0;
        for (var round = 0; round <= rounds; round++)
        {
            var now = new List<Run> { await rig.CarryAsync("unchanged", [("bench", "held")], 2, 1, store) };
            // A hundred new in five folders, fifty with another flag in five others.
            using (var imap = await PlainImap.SignInAsync(rig.From.PlainPort, "bench", Rig.Password))
            {
                for (var f = 0; f < 5; f++)
                    await imap.AppendAsync(
                        $"Log{f}",
                        Enumerable.Range(0, 20).Select(i => Rig.Message("bench", f, 1_000_000 + changes++, "All well."))
                    );
                for (var f = 5; f < 10; f++)
                {
                    await imap.RunAsync($"SELECT Log{f}");
                    await imap.RunAsync($"STORE 1:10 {(round % 2 == 0 ? "+" : "-")}FLAGS (\\Flagged)");
                }
            }
            now.Add(await rig.CarryAsync("100 new, 50 re-flagged", [("bench", "held")], 2, 1, store));
            await rig.RawAsync("fill", "bench", $"full-{round}", 2);
            now.Add(await rig.CarryAsync("first pass, all there already", [("bench", $"full-{round}")], 2, 1));
            now.Add(await rig.HeadersAsync("one wide header fetch", "bench"));
            if (round > 0)
                runs.AddRange(now);
            Console.Error.WriteLine($"round {round}: {string.Join("; ", now.Select(r => $"{r.Tool} {r.Seconds:0.000} s"))}");
        }
        Rig.Print(
            $"Later passes, {messages} messages in {folders} folders, {(delay > 0 ? $"{delay:0} ms away" : "near")}, median of {rounds} "
                + "rounds",
            runs
        );
        Console.WriteLine(
            "\n"
                + JsonSerializer.Serialize(
                    new
                    {
                        benchmark = "later-pass",
                        messages,
                        folders,
                        rounds,
                        delay,
                        unchangedRoundTrips = runs.Where(r => r.Tool == "unchanged").Max(r => r.RoundTrips),
                        changedRoundTrips = runs.Where(r => r.Tool == "100 new, 50 re-flagged").Max(r => r.RoundTrips),
                        allThereTimesHeaderFetch = Math.Round(
                            Rig.Median(
                                runs.Where(r => r.Tool == "first pass, all there already")
                                    .Zip(runs.Where(r => r.Tool == "one wide header fetch"), (a, b) => a.Seconds / b.Seconds)
                            ),
                            2
                        ),
                        storeOctetsPerMessage = Math.Round(octetsPerMessage, 1),
                    }
                )
        );
        return 0;
    }
}
