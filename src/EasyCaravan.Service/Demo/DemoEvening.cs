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

    private static readonly string[] s_people = ["maeve.harrow", "niklas.astrom", "imogen.vale"];

    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(500);

    /// <summary>Waits until the three are in step, has their gates looked at, says that they were told, and has them cross.</summary>
    /// <returns>When each has crossed or needs somebody.</returns>
    public static async Task CrossAsync(HttpClient api, CancellationToken cancel)
    {
        string[] accounts = [.. s_people.Select(p => $"{p}@saltmarsh.example")];
        await UntilAsync(v => v.Stage is MoveStage.InStep && v.Condition is MoveCondition.Idle or MoveCondition.NeedsYou);
        await AskAsync(new CrossingRequest(CrossingAsk.Check, accounts));
        await UntilAsync(v => v.Gates.Count > 0);
        await AskAsync(new CrossingRequest(CrossingAsk.Accept, accounts, GateWord.Informed, "Told at the meeting in the ferry hall"));
        await AskAsync(new CrossingRequest(CrossingAsk.Go, accounts));
        await UntilAsync(v => v.Stage is MoveStage.Settling || v.Condition is MoveCondition.NeedsYou);

        async Task AskAsync(CrossingRequest request) =>
            (await api.PostAsJsonAsync(Path, request, ContractJson.Options, cancel)).EnsureSuccessStatusCode();

        async Task UntilAsync(Func<CrossingView, bool> isSo)
        {
            while (true)
            {
                var views = await api.GetFromJsonAsync<Page<CrossingView>>($"{Path}/moves", ContractJson.Options, cancel);
                if (views!.Items.Where(v => accounts.Contains(v.Account)).All(isSo))
                    return;
                await Task.Delay(s_look, cancel);
            }
        }
    }
}
