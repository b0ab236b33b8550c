using EasyCaravan.Service;
using EasyCaravan.Service.Demo;
using Microsoft.AspNetCore.Builder;

namespace EasyCaravan.Tests.Shared;

/// <summary>
/// The demonstration's two simulated services, and a real service of ours in a data folder of its own that moves between them.
/// </summary>
internal sealed class DemoService : IAsyncDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-demo").FullName;
    private WebApplication? _app;

    public DemoWorld World { get; } = new(Path.Combine(AppContext.BaseDirectory, "demo"), TimeSpan.Zero);

    public Uri Address { get; private set; } = null!;

    public string Token { get; private set; } = "";

    public static async Task<DemoService> StartAsync()
    {
        var service = new DemoService();
        var options = new CaravanOptions(service._folder, new Uri("http://127.0.0.1:0")) { Quiet = true };
        service._app = await CaravanHost.BuildAsync(options, CancellationToken.None);
        service.World.PlaceSecrets(service._folder);
        await service._app.StartAsync();
        service.Address = CaravanHost.AddressOf(service._app);
        service.Token = (await File.ReadAllTextAsync(Path.Combine(service._folder, CaravanHost.TokenFile))).Trim();
        return service;
    }

    public async ValueTask DisposeAsync()
    {
        if (_app is not null)
        {
            // First its running passes end, and write how.
            await _app.StopAsync();
            await _app.DisposeAsync();
        }
        await World.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }
}
