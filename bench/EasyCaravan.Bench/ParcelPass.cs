using System.Text.Json;

namespace EasyCaravan.Bench;

/// <summary>Packing beside a raw fetch to disk, and opening beside a first pass from a server, in one run.</summary>
internal sealed class ParcelPass(int messages, int octets, int folders, int rounds, string yardsticks)
{
    private const string Raw = "raw fetch to disk",
        Pack = "packing",
        First = "first pass",
        Open = "opening";

    public async Task<int> RunAsync()
    {
        await using var rig = await Rig.StartAsync(yardsticks, 0);
        await rig.InviteAsync(
            ["bench"],
            ["bench", .. Enumerable.Range(0, rounds + 1).SelectMany(r => new[] { $"first{r}", $"open{r}" })],
            Math.Min(octets, 4_000)
        );
        await Rig.PlantAsync(rig.From, "bench", messages, octets, folders);
        var work = Directory.CreateTempSubdirectory("caravan-parcels").FullName;
        var runs = new List<Run>();
        for (var round = 0; round <= rounds; round++)
        {
            var folder = Directory.CreateDirectory(Path.Combine(work, $"{round}")).FullName;
            List<Run> now =
            [
                await rig.RawFetchToDiskAsync(Raw, "bench", Path.Combine(folder, "raw")),
                await rig.CarryAsync(Pack, [("bench", "bench")], 1, 1, pack: folder),
                await rig.CarryAsync(First, [("bench", $"first{round}")], 1, 1),
                await rig.CarryAsync(Open, [("bench", $"open{round}")], 1, 1, open: folder),
            ];
            Directory.Delete(folder, recursive: true);
            if (round > 0)
                runs.AddRange(now);
            Console.Error.WriteLine(
                $"round {round}: {string.Join("; ", now.Select(r => $"{r.Tool} {r.PerSecond:0}/s, {r.PeakMegabytes:0} MB"))}"
            );
        }
        Directory.Delete(work, recursive: true);
        Rig.Print($"Parcels, {messages} messages of {octets / 1000.0:0.#} kB in {folders} folders, median of {rounds} rounds", runs);
        Console.WriteLine(
            "\n"
                + JsonSerializer.Serialize(
                    new
                    {
                        benchmark = "parcels",
                        messages,
                        octets,
                        folders,
                        rounds,
                        packing = Rig.Ratio(runs, Pack, Raw),
                        opening = Rig.Ratio(runs, Open, First),
                    }
                )
        );
        return 0;
    }
}
