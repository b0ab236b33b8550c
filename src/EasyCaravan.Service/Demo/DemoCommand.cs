using System.Globalization;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using EasyCaravan.Contract;

namespace EasyCaravan.Service.Demo;

/// <param name="ExitWhenDone">End with a summary when all that can arrive has arrived.</param>
/// <param name="Fast">Without the pauses that make it watchable.</param>
internal sealed record DemoOptions(bool ExitWhenDone, bool Fast, string? DataFolder, Uri Listen);

/// <summary><c>caravan demo</c>: stand-ins, service and plan, through the same API as everybody else.</summary>
internal static class DemoCommand
{
    private static readonly TimeSpan s_pause = TimeSpan.FromMilliseconds(230);
    private static readonly TimeSpan s_newMail = TimeSpan.FromSeconds(4);
    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(500);

    public static async Task<int> RunAsync(DemoOptions options, CancellationToken cancel)
    {
        var kept = options.DataFolder is not null;
        var folder = options.DataFolder ?? Directory.CreateTempSubdirectory("caravan-demo-").FullName;
        try
        {
            await using var world = new DemoWorld(Path.Combine(AppContext.BaseDirectory, "demo"), options.Fast ? TimeSpan.Zero : s_pause);
            await using var app = await CaravanHost.BuildAsync(new CaravanOptions(folder, options.Listen) { Quiet = true }, cancel);
            world.PlaceSecrets(folder);
            await app.StartAsync(cancel);
            var address = CaravanHost.AddressOf(app);
            var token = (await File.ReadAllTextAsync(Path.Combine(folder, CaravanHost.TokenFile), cancel)).Trim();
            using var api = new HttpClient { BaseAddress = address };
            api.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
            var batches = await BeginAsync(api, world, options.ExitWhenDone, cancel);
            Announce(address, world.Post.Address, token, batches, options);

            using var end = CancellationTokenSource.CreateLinkedTokenSource(cancel, app.Lifetime.ApplicationStopping);
            var mail = options.ExitWhenDone ? Task.CompletedTask : DeliverAsync(world, end.Token);
            var evening = DemoEvening.CrossAsync(api, end.Token);
            if (options.ExitWhenDone)
                await evening;
            var code = options.ExitWhenDone ? await FinishAsync(api, batches, end.Token) : 0;
            if (!options.ExitWhenDone)
                await app.WaitForShutdownAsync(cancel);
            await end.CancelAsync();
            await mail.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            await evening.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            await app.StopAsync(CancellationToken.None);
            return code;
        }
        catch (Exception e) when (e is DataFolderException or IOException)
        {
            await Console.Error.WriteLineAsync($"The demonstration cannot start: {e.Message}");
            return 1;
        }
        catch (OperationCanceledException)
        {
            return 0;
        }
        finally
        {
            if (!kept)
                Directory.Delete(folder, recursive: true);
        }
    }

    private static async Task<List<string>> BeginAsync(HttpClient api, DemoWorld world, bool all, CancellationToken cancel)
    {
        var applied = await api.PostAsJsonAsync(
            "/api/v1/plan/apply",
            new PlanSubmission("demo/plan.yaml", all ? world.PlanAtAllHours : world.Plan, world.Files),
            ContractJson.Options,
            cancel
        );
        if (!applied.IsSuccessStatusCode)
            throw new IOException($"the demo plan was refused: {await applied.Content.ReadAsStringAsync(cancel)}");
        var plan = (await api.GetFromJsonAsync<PlanView>("/api/v1/plan", ContractJson.Options, cancel))!;
        await ActAsync(MoveAction.Survey, plan.Batches);
        while ((await api.GetFromJsonAsync<List<BatchView>>("/api/v1/batches", ContractJson.Options, cancel))!.Exists(b => Busy(b) > 0))
            await Task.Delay(s_look, cancel);
        // The engineers are looked at and go another day: what was found about them waits for decisions.
        await ActAsync(MoveAction.Start, plan.Batches.Where(b => all || b.Name != "engineers"));

        async Task ActAsync(MoveAction action, IEnumerable<PlanBatch> batches)
        {
            foreach (var batch in batches)
                (
                    await api.PostAsJsonAsync(
                        $"/api/v1/batches/{batch.Name}/actions",
                        new MoveActionRequest(action, null),
                        ContractJson.Options,
                        cancel
                    )
                ).EnsureSuccessStatusCode();
        }
        return [.. plan.Batches.Select(b => b.Name)];
    }

    private static int Busy(BatchView batch) =>
        batch.Conditions.GetValueOrDefault("running")
        + batch.Conditions.GetValueOrDefault("queued")
        + batch.Conditions.GetValueOrDefault("waiting");

    private static void Announce(Uri address, Uri letters, string token, List<string> batches, DemoOptions options)
    {
        Console.WriteLine(
            $"""

            Saltmarsh Ferries moves from Lanternpost to Northquay. Both are simulated, on this machine.

              Console   {address}
              Letters   {letters}
              Token     {token}

            In another terminal:

              export CARAVAN_URL={address.ToString().TrimEnd('/')} CARAVAN_TOKEN={token}
              ./caravan findings engineers
              ./caravan watch {batches[0]}
              ./caravan moves {batches[0]} --needs-you
              ./caravan waybill {batches[0]}
              ./caravan differences harbour-office
              ./caravan crossing harbour-office
              ./caravan notices
              ./caravan take-back harbour-office --move "Jonas Kettle" --check

            """
        );
        Console.WriteLine(
            options.ExitWhenDone ? "It ends by itself when everything that can arrive has arrived."
            : options.DataFolder is { } kept ? $"Ctrl-C ends it; what the service knows stays in {kept}."
            : "Ctrl-C ends it, and nothing of it is kept."
        );
    }

    private static async Task DeliverAsync(DemoWorld world, CancellationToken cancel)
    {
        string[] people = ["imogen.vale", "jonas.kettle", "maeve.harrow", "rory.dunmore", "aoife.marsh"];
        var meddled = false;
        for (var i = 0; ; i++)
        {
            await Task.Delay(s_newMail, cancel);
            meddled = meddled || world.Meddle("jonas.kettle@saltmarsh.example");
            world.Deliver($"{people[i % people.Length]}@saltmarsh.example");
        }
    }

    /// <summary>
    /// Waits until nobody runs or is about to, and sums up. 0 when all sums close for those who arrived; planted faults are part of the
    /// show.
    /// </summary>
    private static async Task<int> FinishAsync(HttpClient api, List<string> batches, CancellationToken cancel)
    {
        var told = "";
        while (true)
        {
            var views = (await api.GetFromJsonAsync<List<BatchView>>("/api/v1/batches", ContractJson.Options, cancel))!;
            var doing = string.Join("\n", views.Select(v => $"  {v.Name, -16} {v.Doing}"));
            if (doing != told)
                Console.WriteLine($"{DateTime.Now.ToString("HH:mm:ss", CultureInfo.InvariantCulture)}\n{told = doing}");
            if (views.TrueForAll(v => Busy(v) == 0))
                break;
            await Task.Delay(s_look, cancel);
        }
        var closes = true;
        Console.WriteLine(
            $"\n{"Batch", -16} {"People", 6} {"In step", 7} {"Found", 7} {"Carried", 7} {"Paired", 6} {"Excluded", 8} {"Left", 5}  Sums"
        );
        foreach (var batch in batches)
        {
            var waybill = (await api.GetFromJsonAsync<BatchWaybill>($"/api/v1/batches/{batch}/waybill", ContractJson.Options, cancel))!;
            var arrived = waybill.Moves.Where(m => m.Stage is MoveStage.InStep or MoveStage.Settling).ToList();
            var good = arrived.All(m => m.Closes);
            closes &= good && arrived.Count > 0;
            var total = waybill.Total;
            Console.WriteLine(
                $"{batch, -16} {waybill.Moves.Count, 6} {arrived.Count, 7} {total.Found, 7} {total.Carried, 7} {total.Paired, 6} "
                    + $"{total.Excluded, 8} {total.LeftBehind, 5}  {(good ? "close" : "DO NOT CLOSE")}"
            );
        }
        await DemoEvening.TellAsync(api, cancel);
        var today = (await api.GetFromJsonAsync<Today>("/api/v1/today", ContractJson.Options, cancel))!;
        foreach (var need in today.NeedsYou)
            Console.WriteLine($"\nNeeds you: {need.What} ({string.Join(", ", need.Moves.Select(m => m.Name))})\n           {need.Remedy}.");
        return closes ? 0 : 1;
    }
}
