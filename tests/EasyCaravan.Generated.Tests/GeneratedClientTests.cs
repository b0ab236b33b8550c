using System.Net.Http.Headers;
using EasyCaravan.Generated.Client;
using EasyCaravan.Generated.Client.Models;
using EasyCaravan.Tests.Shared;
using Microsoft.Kiota.Abstractions.Authentication;
using Microsoft.Kiota.Http.HttpClientLibrary;

namespace EasyCaravan.Generated.Tests;

/// <summary>A client that was generated from the description of the API alone plans, moves and proves the demonstration.</summary>
public sealed class GeneratedClientTests : IAsyncLifetime
{
    private DemoService _demo = null!;
    private GeneratedClient _client = null!;

    public async ValueTask InitializeAsync()
    {
        _demo = await DemoService.StartAsync();
        _client = ClientWith(_demo.Token);
    }

    public ValueTask DisposeAsync() => _demo.DisposeAsync();

    [Fact]
    public async Task It_moves_the_demonstration_from_the_plan_to_the_waybill()
    {
        var files = new PlanSubmission_files { AdditionalData = _demo.World.Files.ToDictionary(f => f.Key, f => (object)f.Value) };
        var submission = new PlanSubmission
        {
            Name = "demo/plan.yaml",
            Text = _demo.World.PlanAtAllHours,
            Files = files,
        };
        Assert.True((await _client.Api.V1.Plan.Check.PostAsync(submission))!.Valid);
        await _client.Api.V1.Plan.Apply.PostAsync(submission);
        var plan = (await _client.Api.V1.Plan.GetAsync())!;
        var batches = plan.Batches!.Select(b => b.Name!).ToList();
        await ActAsync(MoveAction.Survey, batches);
        Assert.NotEmpty((await _client.Api.V1.Batches["engineers"].Findings.GetAsync())!);
        await ActAsync(MoveAction.Start, batches);

        var moves = new List<MoveView>();
        string? cursor = null;
        do
        {
            var page = (
                await _client
                    .Api.V1.Batches["deckhands"]
                    .Moves.GetAsync(r => (r.QueryParameters.Limit, r.QueryParameters.Cursor) = (3, cursor))
            )!;
            Assert.InRange(page.Items!.Count, 1, 3);
            moves.AddRange(page.Items!);
            cursor = page.Next;
        } while (cursor is not null);
        Assert.Equal(plan.Batches!.Single(b => b.Name == "deckhands").People, moves.Select(m => m.Account).Distinct().Count());
        var needing = Assert.Single(moves, m => m.Condition is MoveCondition.NeedsYou);
        Assert.Equal(("sign-in-refused", true), (needing.Problem!.Cause, needing.Actions!.Contains(MoveAction.Retry)));

        var left = (await _client.Api.V1.Batches["deckhands"].LeftBehind.GetAsync())!.Items!;
        Assert.Equal(
            [MoveKind.Calendars, MoveKind.Contacts, MoveKind.Contacts, MoveKind.Mail],
            left.Select(l => l.Kind!.Value).OrderBy(k => $"{k}")
        );
        await _client
            .Api.V1.Batches["deckhands"]
            .LeftBehind.PostAsync(new LeftBehindDecision { Accept = true, Items = [.. left.Select(l => l.Id)] });
        Assert.Empty((await _client.Api.V1.Batches["deckhands"].LeftBehind.GetAsync())!.Items!);

        var waybill = (await _client.Api.V1.Batches["deckhands"].Waybill.GetAsync())!;
        Assert.Equal(moves.Count - 1, waybill.Moves!.Count(m => m.Closes == true));
        Assert.All(waybill.Moves!.Where(m => m.Closes == true).SelectMany(m => m.Folders!), f =>
            Assert.Equal(f.Counts!.Found, f.Counts.Carried + f.Counts.Paired + f.Counts.Excluded + f.Counts.LeftBehind)
        );
        Assert.NotEmpty((await _client.Api.V1.Journal.GetAsync(r => r.QueryParameters.Batch = "deckhands"))!.Items!);
        Assert.NotEmpty((await _client.Api.V1.Today.GetAsync())!.NeedsYou!);
    }

    [Fact]
    public async Task Every_refusal_comes_in_the_described_shape()
    {
        var missing = await Assert.ThrowsAsync<ErrorAnswer>(() => _client.Api.V1.Batches["nobody"].GetAsync());
        Assert.Equal(404, missing.ResponseStatusCode);
        Assert.False(string.IsNullOrEmpty(missing.Detail) || string.IsNullOrEmpty(missing.Remedy));
        var wrong = await Assert.ThrowsAsync<ErrorAnswer>(() =>
            _client.Api.V1.Plan.Apply.PostAsync(
                new PlanSubmission
                {
                    Name = "plan.yaml",
                    Text = "services: 3",
                    Files = new(),
                }
            )
        );
        Assert.StartsWith("urn:easy-caravan:cause:", wrong.Type, StringComparison.Ordinal);
        Assert.NotEmpty(wrong.Problems!);
        var stranger = await Assert.ThrowsAsync<ErrorAnswer>(() => ClientWith("caravan_wrong").Api.V1.Today.GetAsync());
        Assert.Equal((401, "not-signed-in"), (stranger.ResponseStatusCode, stranger.Cause));
        Assert.Contains("Bearer", stranger.Remedy, StringComparison.Ordinal);
    }

    private GeneratedClient ClientWith(string token)
    {
        var http = KiotaClientFactory.Create();
        http.BaseAddress = _demo.Address;
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        var adapter = new HttpClientRequestAdapter(new AnonymousAuthenticationProvider(), httpClient: http);
        adapter.BaseUrl = http.BaseAddress.ToString().TrimEnd('/');
        return new GeneratedClient(adapter);
    }

    /// <summary>
    /// Asks it of everybody, and waits until nobody runs, is queued or waits for another try (a planted fault makes some do so).
    /// </summary>
    private async Task ActAsync(MoveAction action, List<string> batches)
    {
        foreach (var batch in batches)
            await _client.Api.V1.Batches[batch].Actions.PostAsync(new MoveActionRequest { Action = action });
        using var patience = new CancellationTokenSource(TimeSpan.FromMinutes(2));
        while ((await _client.Api.V1.Batches.GetAsync())!.Exists(b => Busy(b) > 0))
            await Task.Delay(50, patience.Token);
    }

    private static int Busy(BatchView batch) =>
        new[] { "running", "queued", "waiting" }.Sum(c =>
            batch.Conditions!.AdditionalData.TryGetValue(c, out var count) ? Convert.ToInt32(count, null) : 0
        );
}
