using System.Net.Http.Headers;
using System.Net.Http.Json;
using EasyCaravan.Contract;
using EasyCaravan.Service.Demo;
using EasyCaravan.Tests.Shared;
using Microsoft.Playwright;

[assembly: AssemblyFixture(typeof(EasyCaravan.Console.Tests.ConsoleFixture))]
// All tests share one demonstration: a test that closes or slows down a service would disturb a test that runs beside it.
[assembly: Xunit.v3.Parallelization(Mode = Xunit.Sdk.ParallelMode.None)]

namespace EasyCaravan.Console.Tests;

/// <summary>The demonstration's world behind a real service, and one browser for all tests.</summary>
public sealed class ConsoleFixture : IAsyncLifetime
{
    private static readonly string[] s_browserArguments =
    [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ];

    /// <summary>How long to wait for a page. Far more than it needs: speed is not tested here.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(1);

    private readonly Lazy<Task<string>> _session;
    private DemoService? _demo;
    private IPlaywright? _playwright;
    private IBrowser? _browser;

    public ConsoleFixture() => _session = new Lazy<Task<string>>(EnterAsync);

    public Uri Address => _demo!.Address;

    public string Token => _demo!.Token;

    public HttpClient Api { get; private set; } = null!;

    internal DemoWorld World => _demo!.World;

    public async ValueTask InitializeAsync()
    {
        _demo = await DemoService.StartAsync();
        Api = new HttpClient { BaseAddress = Address };
        Api.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", Token);
        // Three thousand people who do not move yet, beside the batches of the demonstration, for the tests of long tables.
        var roster =
            "name,from_account,to_account\n"
            + string.Concat(Enumerable.Range(1, 3000).Select(i => $"Passenger {i},p{i}@saltmarsh.example,p{i}@saltmarsh.example\n"));
        var passengers = "  passengers:\n    route: harbour-crossing\n    roster: passengers.csv\n";
        var files = new Dictionary<string, string>(World.Files) { ["passengers.csv"] = roster };
        // Everybody is in step before the windows of the demonstration hold, whatever the hour of the test.
        await PostAsync("plan/apply", new PlanSubmission("plan.yaml", World.PlanAtAllHours + passengers, files));
        foreach (var action in new[] { MoveAction.Survey, MoveAction.Start })
        {
            foreach (var batch in new[] { "deckhands", "harbour-office", "engineers" })
                await ActAsync(batch, action);
            await UntilAsync(async () => (await BatchesAsync()).Where(b => b.Name != "passengers").All(b => Busy(b) == 0));
        }
        Assert.True(World.Meddle("jonas.kettle@saltmarsh.example"));
        await ActAsync("harbour-office", MoveAction.CatchUp, "jonas.kettle@saltmarsh.example");
        await UntilAsync(async () => (await BatchesAsync()).Single(b => b.Name == "harbour-office").Undecided > 0);
        // Two have crossed, and a third is stopped at a gate.
        await DemoEvening.CrossAsync(Api, TestContext.Current.CancellationToken);
        await PostAsync("plan/apply", new PlanSubmission("plan.yaml", World.Plan + passengers, files));
        Assertions.SetDefaultExpectTimeout((float)s_patience.TotalMilliseconds);
        _playwright = await Playwright.CreateAsync();
        _browser = await _playwright.Chromium.LaunchAsync(
            new()
            {
                ExecutablePath = "/usr/bin/chromium",
                Headless = true,
                Args = s_browserArguments,
            }
        );
    }

    public async Task ActAsync(string batch, MoveAction action, params string[] moves) =>
        await PostAsync($"batches/{batch}/actions", new MoveActionRequest(action, moves.Length == 0 ? null : moves));

    /// <summary>New mail for some people, given out slowly, so that there are passes to look at.</summary>
    public async Task MakeBusyAsync()
    {
        string[] people = ["imogen.vale", "jonas.kettle", "maeve.harrow", "rory.dunmore"];
        World.From.Manners = World.From.Manners with { PausePerMessage = TimeSpan.FromMilliseconds(80) };
        foreach (var person in people)
        {
            for (var i = 0; i < 150; i++)
                World.Deliver($"{person}@saltmarsh.example");
        }
        await ActAsync("harbour-office", MoveAction.CatchUp);
        await UntilAsync(async () =>
            (await Api.GetFromJsonAsync<Today>("/api/v1/today", ContractJson.Options))!.Running.Any(m => m.Pass is { Settled: > 10 })
        );
    }

    public async Task<List<BatchView>> BatchesAsync() =>
        (await Api.GetFromJsonAsync<List<BatchView>>("/api/v1/batches", ContractJson.Options))!;

    /// <summary>Of a batch or an errand with one person.</summary>
    public async Task<MoveView> MoveAsync(string batch) =>
        (await Api.GetFromJsonAsync<Page<MoveView>>($"/api/v1/batches/{batch}/moves", ContractJson.Options))!.Items[0];

    /// <summary>A fresh browser context: nobody is signed in.</summary>
    public Task<IPage> OpenAsync(bool dark = false) => OpenAsync(dark, null);

    /// <summary>
    /// A new page in a session that is signed in once for all tests: the service slows down repeated sign-ins.
    /// </summary>
    public async Task<IPage> SignInAsync(string path, bool dark = false)
    {
        var page = await OpenAsync(dark, await _session.Value);
        await page.GotoAsync(path);
        await page.GetByRole(AriaRole.Navigation, new() { Name = "Main" }).WaitForAsync();
        return page;
    }

    private async Task<string> EnterAsync()
    {
        var page = await OpenAsync(dark: false, null);
        await page.GotoAsync("/");
        await page.GetByLabel("Access token").First.FillAsync(Token);
        await page.GetByRole(AriaRole.Button, new() { Name = "Sign in" }).ClickAsync();
        await page.GetByRole(AriaRole.Navigation, new() { Name = "Main" }).WaitForAsync();
        return await page.Context.StorageStateAsync();
    }

    private async Task<IPage> OpenAsync(bool dark, string? session)
    {
        var context = await _browser!.NewContextAsync(
            new()
            {
                BaseURL = Address.ToString(),
                ViewportSize = new() { Width = 1280, Height = 800 },
                ColorScheme = dark ? ColorScheme.Dark : ColorScheme.Light,
                Locale = "en-GB",
                TimezoneId = "Europe/Dublin",
                StorageState = session,
            }
        );
        context.SetDefaultTimeout((float)s_patience.TotalMilliseconds);
        var page = await context.NewPageAsync();
        // An exception of the page would otherwise only show as a missing element.
        page.PageError += (_, error) => TestContext.Current.SendDiagnosticMessage(error);
        page.Console += (_, said) =>
        {
            if (said.Type == "error")
                TestContext.Current.SendDiagnosticMessage(said.Text);
        };
        return page;
    }

    public async ValueTask DisposeAsync()
    {
        if (_browser is not null)
            await _browser.DisposeAsync();
        _playwright?.Dispose();
        Api?.Dispose();
        if (_demo is not null)
            await _demo.DisposeAsync();
    }

    private async Task PostAsync(string path, object body) =>
        (
            await Api.PostAsync($"/api/v1/{path}", JsonContent.Create(body, body.GetType(), options: ContractJson.Options))
        ).EnsureSuccessStatusCode();

    private static int Busy(BatchView batch) =>
        batch.Conditions.GetValueOrDefault("running")
        + batch.Conditions.GetValueOrDefault("queued")
        + batch.Conditions.GetValueOrDefault("waiting");

    public static async Task UntilAsync(Func<Task<bool>> condition)
    {
        using var patience = new CancellationTokenSource(s_patience);
        while (!await condition())
            await Task.Delay(50, patience.Token);
    }
}
