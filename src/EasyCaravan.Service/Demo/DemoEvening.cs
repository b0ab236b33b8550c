using System.Net.Http.Json;
using EasyCaravan.Contract;

namespace EasyCaravan.Service.Demo;

/// <summary>
/// An evening of the demonstration: three people of the harbour office are to cross. Two do, with a probe; the third is stopped at a gate,
/// because nobody has decided about a message that was left behind.
/// </summary>
internal static class DemoEvening
{
    private const string Path = "/api/v1/batches/harbour-office/crossing";

    private static readonly string[] s_accounts =
    [
        "maeve.harrow@saltmarsh.example",
        "niklas.astrom@saltmarsh.example",
        "imogen.vale@saltmarsh.example",
    ];

    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(500);

    /// <summary>Waits until the three are in step, has their gates looked at, says that they were told, and has them cross.</summary>
    /// <returns>When each has crossed or needs somebody.</returns>
    public static async Task CrossAsync(HttpClient api, CancellationToken cancel)
    {
        await UntilAsync(v => v.Stage is MoveStage.InStep && v.Condition is MoveCondition.Idle or MoveCondition.NeedsYou);
        await AskAsync(new CrossingRequest(CrossingAsk.Check, s_accounts));
        await UntilAsync(v => v.Gates.Count > 0);
        await AskAsync(new CrossingRequest(CrossingAsk.Accept, s_accounts, GateWord.Informed, "Told at the meeting in the ferry hall"));
        await AskAsync(new CrossingRequest(CrossingAsk.Go, s_accounts));
        await UntilAsync(v => v.Stage is MoveStage.Settling || v.Condition is MoveCondition.NeedsYou);

        async Task AskAsync(CrossingRequest request) =>
            (await api.PostAsJsonAsync(Path, request, ContractJson.Options, cancel)).EnsureSuccessStatusCode();

        async Task UntilAsync(Func<CrossingView, bool> isSo)
        {
            while (true)
            {
                if ((await LookAsync(api, cancel)).TrueForAll(v => isSo(v)))
                    return;
                await Task.Delay(s_look, cancel);
            }
        }
    }

    /// <summary>How it ended for each of the three.</summary>
    public static async Task TellAsync(HttpClient api, CancellationToken cancel)
    {
        Console.WriteLine();
        foreach (var view in await LookAsync(api, cancel))
            Console.WriteLine(
                view.Stage is MoveStage.Settling
                    ? $"{view.Name} has crossed; {view.Probes.Count} probes arrived."
                    : $"{view.Name} does not cross: {view.What}."
            );
    }

    private static async Task<List<CrossingView>> LookAsync(HttpClient api, CancellationToken cancel) =>
        [
            .. (await api.GetFromJsonAsync<Page<CrossingView>>($"{Path}/moves", ContractJson.Options, cancel))!.Items.Where(v =>
                s_accounts.Contains(v.Account)
            ),
        ];
}
