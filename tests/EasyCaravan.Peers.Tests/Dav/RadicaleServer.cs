using System.Diagnostics;

namespace EasyCaravan.Peers.Dav;

/// <summary>A Radicale of our own on loopback: address books and calendars in files.</summary>
public sealed class RadicaleServer : IAsyncDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("rd").FullName;
    private readonly Process _process;

    private RadicaleServer(IEnumerable<(string Login, string Password)> users)
    {
        Port = DovecotServer.FreePort();
        File.WriteAllLines(Path.Combine(_folder, "users"), users.Select(u => $"{u.Login}:{u.Password}"));
        File.WriteAllText(
            Path.Combine(_folder, "conf"),
            $"""
            [server]
            hosts = 127.0.0.1:{Port}
            [auth]
            type = htpasswd
            htpasswd_filename = {_folder}/users
            htpasswd_encryption = plain
            delay = 0
            [storage]
            filesystem_folder = {_folder}/data
            [logging]
            level = warning

            """
        );
        // Without it every write waits for the disk, which is not what is tried here.
        _process = PeerProcess.Start("eatmydata", ["radicale", "--config", Path.Combine(_folder, "conf")]);
    }

    public int Port { get; }

    public Uri Address => new($"http://127.0.0.1:{Port}/");

    public static bool IsInstalled => File.Exists("/usr/bin/radicale") && File.Exists("/usr/bin/eatmydata");

    public static async Task<RadicaleServer> StartAsync(IEnumerable<(string Login, string Password)> users)
    {
        var server = new RadicaleServer(users);
        await PeerProcess.UntilListeningAsync(server._process, server.Port);
        return server;
    }

    public async ValueTask DisposeAsync()
    {
        await PeerProcess.EndAsync(_process);
        Directory.Delete(_folder, recursive: true);
    }
}
