using System.Diagnostics;

namespace EasyCaravan.Peers.Dav;

/// <summary>A Postfix of our own on loopback, which passes mail on to other servers here. It runs as root alone.</summary>
public sealed class PostfixServer : IAsyncDisposable
{
    private const string Programs = "/usr/lib/postfix/sbin";

    /// <summary>Postfix's own processes, each told as its manual pages do.</summary>
    private static readonly string[] s_processes =
    [
        "pickup unix n - n 60 1 pickup",
        "cleanup unix n - n - 0 cleanup",
        "qmgr unix n - n 300 1 qmgr",
        "rewrite unix - - n - - trivial-rewrite",
        "bounce unix - - n - 0 bounce",
        "defer unix - - n - 0 bounce",
        "trace unix - - n - 0 bounce",
        "proxymap unix - - n - - proxymap",
        "smtp unix - - n - - smtp",
        "lmtp unix - - n - - lmtp",
        "error unix - - n - - error",
        "retry unix - - n - - error",
        "anvil unix - - n - 1 anvil",
        "scache unix - - n - 1 scache",
        "postlog unix-dgram n - n - 1 postlogd",
    ];

    private readonly string _folder = Directory.CreateTempSubdirectory("pf").FullName;
    private Process _process = null!;

    public int Port { get; private init; } = DovecotServer.FreePort();

    public static bool CanRun => Environment.IsPrivilegedProcess && File.Exists("/usr/sbin/postfix");

    private string Log => Path.Combine(_folder, "log");

    /// <summary>Messages that it has taken from whomever.</summary>
    public int Accepted => File.Exists(Log) ? File.ReadLines(Log).Count(l => l.Contains(": client=", StringComparison.Ordinal)) : 0;

    /// <param name="next">The port to which it passes everything on.</param>
    public static Task<PostfixServer> StartAsync(int next) =>
        StartAsync($"default_transport = smtp:[127.0.0.1]:{next}", DovecotServer.FreePort());

    /// <param name="mailboxes">Where mail to each domain is delivered over LMTP; mail to any other domain comes back.</param>
    /// <param name="port">Where it takes mail: the others have to know before it is there.</param>
    public static Task<PostfixServer> StartAsync(IEnumerable<(string Domain, int LmtpPort)> mailboxes, int port) =>
        StartAsync(
            $"""
            transport_maps = inline:{"{"}{string.Join(", ", mailboxes.Select(m => $"{m.Domain}=lmtp:[127.0.0.1]:{m.LmtpPort}"))}{"}"}
            default_transport = error:no such domain here
            minimal_backoff_time = 2s
            maximal_backoff_time = 5s
            queue_run_delay = 2s
            lmtp_destination_concurrency_limit = 5
            """,
            port
        );

    private static async Task<PostfixServer> StartAsync(string settings, int port)
    {
        var server = new PostfixServer { Port = port };
        var conf = server.WriteConfiguration(settings);
        await server.StartAsync(conf);
        return server;
    }

    private async Task StartAsync(string conf)
    {
        using (var check = PeerProcess.Start("/usr/sbin/postfix", ["-c", conf, "check"]))
            await check.WaitForExitAsync();
        _process = PeerProcess.Start($"{Programs}/master", ["-c", conf, "-d"], ("MAIL_CONFIG", conf));
        await PeerProcess.UntilListeningAsync(_process, Port);
    }

    /// <summary>As after a power cut; what it has taken stays in its queue.</summary>
    public Task StopAsync() => PeerProcess.EndAsync(_process);

    public Task StartAgainAsync() => StartAsync(Path.Combine(_folder, "conf"));

    private string WriteConfiguration(string settings)
    {
        // Its processes run as a user of their own and have to get in.
        const UnixFileMode entered = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
        File.SetUnixFileMode(_folder, entered | UnixFileMode.GroupExecute | UnixFileMode.OtherExecute);
        foreach (var own in new[] { "conf", "queue", "data" })
            Directory.CreateDirectory(Path.Combine(_folder, own));
        using (var owner = PeerProcess.Start("/usr/bin/chown", ["postfix", Path.Combine(_folder, "data")]))
            owner.WaitForExit();
        var conf = Path.Combine(_folder, "conf");
        File.WriteAllText(
            Path.Combine(conf, "main.cf"),
            $"""
            compatibility_level = 3.6
            queue_directory = {_folder}/queue
            data_directory = {_folder}/data
            command_directory = /usr/sbin
            daemon_directory = {Programs}
            mail_owner = postfix
            setgid_group = postdrop
            inet_interfaces = 127.0.0.1
            inet_protocols = ipv4
            myhostname = mta.saltmarsh.example
            mydestination =
            mynetworks = 127.0.0.0/8
            local_recipient_maps =
            alias_maps =
            alias_database =
            {settings}
            smtp_dns_support_level = disabled
            smtp_host_lookup = native
            smtpd_relay_restrictions = permit_mynetworks, reject
            maillog_file = {Log}
            maillog_file_prefixes = {_folder}

            """
        );
        File.WriteAllLines(Path.Combine(conf, "master.cf"), [$"127.0.0.1:{Port} inet n - n - - smtpd", .. s_processes]);
        return conf;
    }

    public async ValueTask DisposeAsync()
    {
        await PeerProcess.EndAsync(_process);
        Directory.Delete(_folder, recursive: true);
    }
}
