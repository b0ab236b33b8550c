using System.Diagnostics;

namespace EasyCaravan.Peers.Dav;

/// <summary>A Xandikos of our own on loopback: address books and calendars in a version control system.</summary>
public sealed class XandikosServer : IAsyncDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("xk").FullName;
    private readonly Process _process;

    private XandikosServer(IEnumerable<(string Login, string Password)> users)
    {
        Port = DovecotServer.FreePort();
        File.WriteAllLines(Path.Combine(_folder, "users"), users.Select(u => $"{u.Login}:{u.Password}"));
        Directory.CreateDirectory(Path.Combine(_folder, "data"));
        _process = PeerProcess.Start(
            "eatmydata",
            [
                "/usr/bin/python3",
                Path.Combine(AppContext.BaseDirectory, "Dav", "xandikos_front.py"),
                $"{Port}",
                Path.Combine(_folder, "data"),
                Path.Combine(_folder, "users"),
            ],
            // Its version control wants to know whose changes it keeps.
            ("HOME", _folder)
        );
    }

    public int Port { get; }

    public Uri Address => new($"http://127.0.0.1:{Port}/");

    public static bool IsInstalled => File.Exists("/usr/bin/xandikos") && File.Exists("/usr/bin/eatmydata");

    public static async Task<XandikosServer> StartAsync(IEnumerable<(string Login, string Password)> users)
    {
        var server = new XandikosServer(users);
        await PeerProcess.UntilListeningAsync(server._process, server.Port);
        return server;
    }

    public async ValueTask DisposeAsync()
    {
        await PeerProcess.EndAsync(_process);
        Directory.Delete(_folder, recursive: true);
    }
}
