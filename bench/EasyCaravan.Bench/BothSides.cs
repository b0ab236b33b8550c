using System.Text.Json;

namespace EasyCaravan.Bench;

/// <summary>Both sides read anew and compared message by message, against reading them and throwing it away.</summary>
internal sealed class BothSides(int messages, int octets, int folders, int rounds, double delay, string yardsticks)
{
    private const string Raw = "raw fetch of both sides",
        Ours = "comparison";

    public async Task<int> RunAsync()
    {
        await using var rig = await Rig.StartAsync(yardsticks, delay);
        await rig.InviteAsync(["bench"], ["held"], octets);
        await Rig.PlantAsync(rig.From, "bench", messages, octets, folders);
        var store = Path.Combine(Directory.CreateTempSubdirectory("caravan-bench").FullName, "caravan.db");
        await rig.CarryAsync("first", [("bench", "held")], 2, 1, store);
        var runs = new List<Run>();
        for (var round = 0; round <= rounds; round++)
        {
            List<Run> now =
            [
                await rig.RawFetchAsync(Raw, "bench", "held"),
                await rig.CarryAsync(Ours, [("bench", "held")], 2, 1, store, compare: true),
            ];
            if (round > 0)
                runs.AddRange(now);
            Console.Error.WriteLine(
                $"round {round}: {string.Join("; ", now.Select(r => $"{r.Tool} {r.Messages} in {r.Seconds:0.000} s"))}"
            );
        }
        Rig.Print(
            $"Comparison, {messages} messages of {octets} octets in {folders} folders, {(delay > 0 ? $"{delay:0} ms away" : "near")}, "
                + $"median of {rounds} rounds",
            runs
        );
        Console.WriteLine(
            "\n"
                + JsonSerializer.Serialize(
                    new
                    {
                        benchmark = "both-sides",
                        messages,
                        octets,
                        folders,
                        rounds,
                        delay,
                        timesRaw = Rig.Ratio(runs, Ours, Raw),
                    }
                )
        );
        return 0;
    }
}
