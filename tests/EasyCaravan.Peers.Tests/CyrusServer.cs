using System.Diagnostics;
using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.Peers;

/// <summary>
/// A Cyrus of our own on loopback: an IMAP server of quite another make, with OBJECTID, MOVE, BINARY and folder names that it compares in
/// its own way. Its package cannot be installed beside Dovecot's, so it is unpacked to a folder of the build instead.
/// </summary>
public sealed class CyrusServer : IAsyncDisposable
{
    /// <summary>Cyrus refuses to run as root; <c>nobody</c> everywhere on Debian.</summary>
    private const int Nobody = 65534;

    private static readonly string s_unpacked = Unpacked.FolderOf("cyrus");

    private readonly string _folder;
    private Process? _process;

    private CyrusServer(string folder) =>
        (_folder, Port, DavPort, SievePort, LmtpPort) = (
            folder,
            DovecotServer.FreePort(),
            DovecotServer.FreePort(),
            DovecotServer.FreePort(),
            DovecotServer.FreePort()
        );

    private string Root => Path.Combine(_folder, "root");

    /// <summary>IMAP without TLS.</summary>
    public int Port { get; }

    /// <summary>Address books and calendars, over HTTP without TLS.</summary>
    public int DavPort { get; }

    /// <summary>Mail rules over ManageSieve, without TLS.</summary>
    public int SievePort { get; }

    /// <summary>Where mail is delivered, without a sign-in.</summary>
    public int LmtpPort { get; }

    public static bool IsInstalled => File.Exists(Path.Combine(s_unpacked, "usr/lib/cyrus/bin/imapd"));

    public static bool HasDav => File.Exists(Path.Combine(s_unpacked, "usr/lib/cyrus/bin/httpd"));

    /// <summary>Where it takes mail to that its calendars send; 0: nowhere.</summary>
    private int SmtpPort { get; init; }

    /// <param name="users">Logins and passwords.</param>
    /// <param name="smtpPort">Of the server that takes what its calendars and its rules send; 0: none.</param>
    public static async Task<CyrusServer> StartAsync(IEnumerable<(string Login, string Password)> users, int smtpPort = 0)
    {
        if (!IsInstalled)
            throw new InvalidOperationException("Cyrus is not unpacked below artifacts/peers/cyrus: run ./test once, which does it.");
        var server = new CyrusServer(Directory.CreateTempSubdirectory("cy").FullName) { SmtpPort = smtpPort };
        foreach (var part in new[] { "conf/db", "conf/socket", "conf/proc", "conf/log", "spool", "sieve", "sock" })
            Directory.CreateDirectory(Path.Combine(server._folder, part));
        await File.WriteAllTextAsync(Path.Combine(server._folder, "imapd.conf"), server.Configuration());
        await File.WriteAllTextAsync(Path.Combine(server._folder, "cyrus.conf"), server.Services());
        // A copy in a folder that every user can read: the repository may be readable by its owner alone.
        foreach (var part in new[] { "usr/lib/cyrus/bin", "usr/lib/x86_64-linux-gnu", "usr/sbin" })
        {
            Directory.CreateDirectory(Path.Combine(server.Root, Path.GetDirectoryName(part)!));
            await RunAsync("cp", ["-r", Path.Combine(s_unpacked, part), Path.Combine(server.Root, part)]);
        }
        foreach (var (login, password) in users)
            await server.AddUserAsync(login, password);
        if (Environment.IsPrivilegedProcess)
            await RunAsync("chown", ["-R", $"{Nobody}:{Nobody}", server._folder]);
        await server.StartAsync();
        return server;
    }

    public async Task StartAsync()
    {
        string[] command =
        [
            Path.Combine(Root, "usr/lib/cyrus/bin/master"),
            "-C",
            Conf("imapd.conf"),
            "-M",
            Conf("cyrus.conf"),
            "-p",
            Conf("master.pid"),
        ];
        if (Environment.IsPrivilegedProcess)
            command = ["setpriv", $"--reuid={Nobody}", $"--regid={Nobody}", "--clear-groups", .. command];
        _process = Process.Start(Info(command[0], command[1..]))!;
        var patience = Stopwatch.StartNew();
        while (true)
        {
            try
            {
                using var client = new TcpClient();
                await client.ConnectAsync(IPAddress.Loopback, Port);
                using var reader = new StreamReader(client.GetStream());
                if ((await reader.ReadLineAsync())?.StartsWith("* OK", StringComparison.Ordinal) == true)
                    return;
            }
            catch (Exception e) when (e is SocketException or IOException)
            {
                if (_process.HasExited || patience.Elapsed > TimeSpan.FromSeconds(20))
                    throw new InvalidOperationException("Cyrus did not start; it says why to syslog only.", e);
            }
            await Task.Delay(50);
        }
    }

    public async ValueTask DisposeAsync()
    {
        if (_process is not null)
        {
            _process.Kill(entireProcessTree: true);
            await _process.WaitForExitAsync();
            _process.Dispose();
        }
        Directory.Delete(_folder, recursive: true);
    }

    /// <summary>May be called while it runs.</summary>
    public async Task AddUserAsync(string login, string password)
    {
        var parts = login.Split('@');
        var info = Info(Path.Combine(Root, "usr/sbin/saslpasswd2"), ["-p", "-c", "-f", Conf("sasldb2"), "-u", parts[1], parts[0]]);
        info.RedirectStandardInput = true;
        using var process = Process.Start(info)!;
        await process.StandardInput.WriteLineAsync(password);
        process.StandardInput.Close();
        await process.WaitForExitAsync();
        if (process.ExitCode != 0)
            throw new InvalidOperationException($"The user {login} cannot be made in Cyrus.");
    }

    private string Configuration() =>
        $"""
            configdirectory: {_folder}/conf
            partition-default: {_folder}/spool
            defaultpartition: default
            sievedir: {_folder}/sieve
            cyrus_user: {(Environment.IsPrivilegedProcess ? "nobody" : Environment.UserName)}
            admins: administrator
            allowplaintext: yes
            sasl_mech_list: PLAIN
            sasl_pwcheck_method: auxprop
            sasl_auxprop_plugin: sasldb
            sasl_sasldb_path: {_folder}/sasldb2
            virtdomains: userid
            unixhierarchysep: yes
            altnamespace: yes
            autocreate_users: anyone
            autocreate_quota: 0
            autocreate_inbox_folders: Sent Items
            autocreate_subscribe_folders: Sent Items
            xlist-sent: Sent Items
            reject8bit: no
            munge8bit: no
            httpmodules: caldav carddav
            expunge_mode: delayed
            conversations_db: twoskip
            caldav_create_default: yes
            defaultdomain: internal
            calendar_user_address_set: saltmarsh.example
            smtp_backend: host
            smtp_host: 127.0.0.1:{SmtpPort}
            idlesocket: {_folder}/sock/idle
            lmtpsocket: {_folder}/sock/lmtp
            notifysocket: {_folder}/sock/notify

            """;

    private string Services() =>
        $$"""
            START {
              recover cmd="{{Root}}/usr/lib/cyrus/bin/ctl_cyrusdb -C {{_folder}}/imapd.conf -r"
            }
            SERVICES {
              imap cmd="{{Root}}/usr/lib/cyrus/bin/imapd -C {{_folder}}/imapd.conf" listen="127.0.0.1:{{Port}}" prefork=1
              http cmd="{{Root}}/usr/lib/cyrus/bin/httpd -C {{_folder}}/imapd.conf" listen="127.0.0.1:{{DavPort}}" prefork=1
              sieve cmd="{{Root}}/usr/lib/cyrus/bin/timsieved -C {{_folder}}/imapd.conf" listen="127.0.0.1:{{SievePort}}" prefork=0
              lmtp cmd="{{Root}}/usr/lib/cyrus/bin/lmtpd -C {{_folder}}/imapd.conf -a" listen="127.0.0.1:{{LmtpPort}}" prefork=0
            }
            EVENTS {
            }

            """;

    private string Conf(string name) => Path.Combine(_folder, name);

    private static async Task RunAsync(string command, string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(command, arguments))!;
        await process.WaitForExitAsync();
    }

    private ProcessStartInfo Info(string command, string[] arguments)
    {
        var info = new ProcessStartInfo(command, arguments);
        info.Environment["LD_LIBRARY_PATH"] = Path.Combine(Root, "usr/lib/x86_64-linux-gnu");
        return info;
    }
}
