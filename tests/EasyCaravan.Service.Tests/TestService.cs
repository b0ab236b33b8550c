using System.Net.Http.Headers;
using System.Net.Http.Json;
using EasyCaravan.Cli;
using EasyCaravan.Cli.Commands;
using EasyCaravan.Contract;
using EasyCaravan.Service;
using Microsoft.AspNetCore.Builder;

namespace EasyCaravan.Testing;

/// <summary>What a command printed, and its exit code.</summary>
public sealed record Ran(int Code, string Out, string Error);

/// <summary>A service of our own in this process, with its API and the real client beside it.</summary>
public sealed class TestService : IAsyncDisposable
{
    private readonly bool _keep;
    private WebApplication _app;

    private TestService(WebApplication app, string folder, bool keep) => (_app, Folder, _keep) = (app, folder, keep);

    public string Folder { get; }

    public Uri Address => CaravanHost.AddressOf(_app);

    public string Token => File.ReadAllText(Path.Combine(Folder, CaravanHost.TokenFile)).Trim();

    public HttpClient Api { get; private set; } = null!;

    public IServiceProvider Services => _app.Services;

    /// <param name="folder">Kept when given; else one that goes with the service.</param>
    /// <param name="options">Changes how it is started.</param>
    public static async Task<TestService> StartAsync(string? folder = null, Func<CaravanOptions, CaravanOptions>? options = null)
    {
        var own = folder ?? Directory.CreateTempSubdirectory("caravan-test").FullName;
        var service = new TestService(await BuildAsync(own, options ?? (o => o)), own, keep: folder is not null);
        await service._app.StartAsync();
        service.Api = new HttpClient { BaseAddress = service.Address };
        service.Api.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", service.Token);
        return service;
    }

    /// <summary>Runs the client as a person would, against this service.</summary>
    public async Task<Ran> RunAsync(params string[] args)
    {
        var (output, error) = (new StringWriter(), new StringWriter());
        var code = await CaravanCommand.RunAsync(
            [.. args, "--service", Address.ToString(), "--token", Token],
            new CommandHost { Out = output, Error = error }
        );
        return new Ran(code, output.ToString(), error.ToString());
    }

    /// <summary>Writes the plan and its files to a folder and applies it with the client.</summary>
    public async Task<Ran> ApplyAsync(string plan, params (string Name, string Text)[] files)
    {
        var folder = Directory.CreateDirectory(Path.Combine(Folder, "plan")).FullName;
        await File.WriteAllTextAsync(Path.Combine(folder, "plan.yaml"), plan);
        foreach (var (name, text) in files)
            await File.WriteAllTextAsync(Path.Combine(folder, name), text);
        return await RunAsync("plan", "apply", Path.Combine(folder, "plan.yaml"));
    }

    /// <summary>The first page of a list, which is all of it where it has no other.</summary>
    public async Task<IReadOnlyList<T>> ListAsync<T>(string path)
    {
        var page = await GetAsync<Page<T>>(path);
        Assert.Equal((long?)page.Items.Count, page.Total);
        return page.Items;
    }

    /// <summary>A list, page by page, to its end.</summary>
    public async Task<List<T>> ListAllAsync<T>(string path)
    {
        var all = new List<T>();
        for (Page<T>? page = null; page is null || page.Next is not null; )
        {
            page = await GetAsync<Page<T>>(page is null ? path : $"{path}?cursor={Uri.EscapeDataString(page.Next!)}");
            all.AddRange(page.Items);
        }
        return all;
    }

    public async Task<T> GetAsync<T>(string path) => (await Api.GetFromJsonAsync<T>($"/api/v1/{path}", ContractJson.Options))!;

    public async Task<List<MoveView>> MovesAsync(string batch) =>
        [.. (await GetAsync<Page<MoveView>>($"batches/{batch}/moves?limit=1000")).Items];

    /// <summary>Until every move of the batch is in step; at a fault it says what the journal says.</summary>
    public async Task UntilInStepAsync(string batch, int seconds = 90)
    {
        try
        {
            await UntilAsync(
                async () => (await MovesAsync(batch)).TrueForAll(m => m is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle }),
                seconds
            );
        }
        catch (TimeoutException e)
        {
            var journal = await GetAsync<Page<JournalEntry>>("journal?limit=20");
            throw new TimeoutException(string.Join('\n', journal.Items.Select(j => $"{j.Account}: {j.Text}")), e);
        }
    }

    public static async Task UntilAsync(Func<Task<bool>> condition, int seconds = 60)
    {
        using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(seconds));
        while (!await condition())
        {
            if (patience.IsCancellationRequested)
                throw new TimeoutException($"What was waited for did not come within {seconds} s.");
            await Task.Delay(20);
        }
    }

    public async ValueTask DisposeAsync()
    {
        Api.Dispose();
        await _app.StopAsync();
        await _app.DisposeAsync();
        if (!_keep)
            Directory.Delete(Folder, recursive: true);
    }

    private static Task<WebApplication> BuildAsync(string folder, Func<CaravanOptions, CaravanOptions> options) =>
        CaravanHost.BuildAsync(options(new CaravanOptions(folder, new Uri("http://127.0.0.1:0")) { Quiet = true }), CancellationToken.None);
}
