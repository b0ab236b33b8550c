using System.Diagnostics;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using EasyCaravan.Contract;
using EasyCaravan.Service;

namespace EasyCaravan.Peers;

/// <summary>The service as a process of its own, which can be killed and limited from outside.</summary>
public sealed class ServiceProcess : IDisposable
{
    private readonly Process _process;
    private readonly HttpClient _api;

    private ServiceProcess(Process process, Uri address, string token)
    {
        _process = process;
        _api = new HttpClient { BaseAddress = address };
        _api.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
    }

    public int Id => _process.Id;

    /// <param name="shell">A line of a shell that ends in running <c>"$@"</c>; null: as it is.</param>
    public static async Task<ServiceProcess> StartAsync(string folder, string? shell = null)
    {
        string[] command =
        [
            "dotnet",
            Path.Combine(AppContext.BaseDirectory, "EasyCaravan.Service.dll"),
            "serve",
            "--data",
            folder,
            "--listen",
            "http://127.0.0.1:0",
        ];
        if (shell is not null)
            command = ["bash", "-c", shell, "bash", .. command];
        var process = Process.Start(
            new ProcessStartInfo(command[0], command[1..]) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        process.ErrorDataReceived += (_, _) => { };
        process.BeginErrorReadLine();
        const string Before = "Easy Caravan listens on ";
        while (await process.StandardOutput.ReadLineAsync() is { } line)
        {
            if (!line.StartsWith(Before, StringComparison.Ordinal))
                continue;
            // The output is read to its end: a full pipe would stop the process.
            _ = process.StandardOutput.ReadToEndAsync();
            return new ServiceProcess(
                process,
                new Uri(line[Before.Length..]),
                (await File.ReadAllTextAsync(Path.Combine(folder, CaravanHost.TokenFile))).Trim()
            );
        }
        throw new InvalidOperationException("The service ended before it listened.");
    }

    public async Task<List<MoveView>> MovesAsync() =>
        [.. (await _api.GetFromJsonAsync<Page<MoveView>>("/api/v1/batches/crew/moves", ContractJson.Options))!.Items];

    public async Task<Today> TodayAsync() => (await _api.GetFromJsonAsync<Today>("/api/v1/today", ContractJson.Options))!;

    public async Task ActAsync(MoveAction action) =>
        (
            await _api.PostAsJsonAsync("/api/v1/batches/crew/actions", new MoveActionRequest(action, null), ContractJson.Options)
        ).EnsureSuccessStatusCode();

    public async Task CrossAsync(CrossingAsk ask) =>
        (
            await _api.PostAsJsonAsync("/api/v1/batches/crew/crossing", new CrossingRequest(ask, null), ContractJson.Options)
        ).EnsureSuccessStatusCode();

    public async Task TakeBackAsync(string account) =>
        (
            await _api.PostAsJsonAsync("/api/v1/batches/crew/take-back", new TakeBackRequest(account, false, account), ContractJson.Options)
        ).EnsureSuccessStatusCode();

    /// <summary>Or until the process is killed.</summary>
    public async Task UntilTakenBackAsync(string account)
    {
        try
        {
            while (
                await _api.GetFromJsonAsync<TakeBackView>($"/api/v1/batches/crew/take-back?move={account}", ContractJson.Options)
                    is { EndedAt: null }
            )
                await Task.Delay(20);
        }
        catch (HttpRequestException)
        {
            // It was killed.
        }
    }

    public void Kill()
    {
        _process.Kill();
        _process.WaitForExit();
    }

    public async Task<int> StopAsync()
    {
        using var kill = Process.Start("kill", ["-TERM", $"{_process.Id}"]);
        await _process.WaitForExitAsync();
        return _process.ExitCode;
    }

    public void Dispose()
    {
        if (!_process.HasExited)
            Kill();
        _process.Dispose();
        _api.Dispose();
    }
}
