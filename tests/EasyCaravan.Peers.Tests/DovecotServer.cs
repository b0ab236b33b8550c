using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace EasyCaravan.Peers;

/// <summary>A Dovecot of our own on loopback: own configuration, own folder, stopped with its owner.</summary>
public sealed class DovecotServer : IAsyncDisposable
{
    private static readonly string[] s_capabilities =
    [
        "IMAP4rev1",
        "SASL-IR",
        "LITERAL+",
        "ENABLE",
        "IDLE",
        "SORT",
        "MULTIAPPEND",
        "UNSELECT",
        "CHILDREN",
        "NAMESPACE",
        "UIDPLUS",
        "LIST-EXTENDED",
        "CONDSTORE",
        "QRESYNC",
        "ESEARCH",
        "SPECIAL-USE",
        "BINARY",
        "MOVE",
        "LIST-STATUS",
    ];

    private static readonly System.Collections.Concurrent.ConcurrentDictionary<int, byte> s_given = new();

    private readonly string _folder;
    private Process? _process;
    private int _changes;

    private DovecotServer(string folder, char separator)
    {
        _folder = folder;
        Separator = separator;
        PlainPort = FreePort();
        TlsPort = FreePort();
        SievePort = FreePort();
        Pop3Port = FreePort();
        Pop3TlsPort = FreePort();
        LmtpPort = FreePort();
    }

    /// <summary>Where mail is delivered, of a server with a relay.</summary>
    public int LmtpPort { get; }

    /// <summary>POP3 without TLS at first; offers STLS.</summary>
    public int Pop3Port { get; }

    /// <summary>POP3 over TLS.</summary>
    public int Pop3TlsPort { get; }

    /// <summary>ManageSieve without TLS at first; offers STARTTLS.</summary>
    public int SievePort { get; }

    public char Separator { get; }

    /// <summary>Of the process that starts all others of this server.</summary>
    public int ProcessId => _process!.Id;

    /// <summary>IMAP without TLS at first; offers STARTTLS.</summary>
    public int PlainPort { get; }

    /// <summary>IMAP over TLS.</summary>
    public int TlsPort { get; }

    /// <summary>The authority that signed the server's certificate, for a plan's <c>ca-file</c>.</summary>
    public string AuthorityPem { get; private set; } = "";

    public static bool IsInstalled => File.Exists("/usr/sbin/dovecot");

    public static Task<DovecotServer> StartAsync(char separator, string? quota = null) =>
        StartAsync(separator, new DovecotManners(Quota: quota));

    public static async Task<DovecotServer> StartAsync(char separator, DovecotManners manners)
    {
        // A short path: a socket's path may have 107 octets at most.
        var folder = Directory.CreateTempSubdirectory("dv").FullName;
        File.SetUnixFileMode(
            folder,
            UnixFileMode.UserRead
                | UnixFileMode.UserWrite
                | UnixFileMode.UserExecute
                | UnixFileMode.GroupRead
                | UnixFileMode.GroupExecute
                | UnixFileMode.OtherRead
                | UnixFileMode.OtherExecute
        );
        var server = new DovecotServer(folder, separator);
        server.WriteCertificate();
        File.WriteAllText(Path.Combine(folder, "users"), "");
        File.WriteAllText(
            Path.Combine(folder, "administrators"),
            manners.Administrator is { } administrator ? $"{administrator.Login}:{{PLAIN}}{administrator.Password}\n" : ""
        );
        Directory.CreateDirectory(Path.Combine(folder, "home"), (UnixFileMode)0b111_111_111);
        File.SetUnixFileMode(Path.Combine(folder, "home"), (UnixFileMode)0b111_111_111);
        File.WriteAllText(Path.Combine(folder, "conf"), server.Configuration(manners));
        await server.StartAsync();
        return server;
    }

    public async Task StartAsync()
    {
        var running = Path.Combine(_folder, "run", "master.pid");
        if (File.Exists(running))
            File.Delete(running);
        _process = Launch();
        var patience = Stopwatch.StartNew();
        while (true)
        {
            try
            {
                using var client = new TcpClient();
                await client.ConnectAsync(IPAddress.Loopback, PlainPort);
                using var reader = new StreamReader(client.GetStream());
                if ((await reader.ReadLineAsync())?.StartsWith("* OK", StringComparison.Ordinal) == true)
                    return;
            }
            catch (Exception e) when (e is SocketException or IOException)
            {
                if (patience.Elapsed > TimeSpan.FromSeconds(20))
                    throw new InvalidOperationException($"Dovecot did not start: {await ReadLogAsync()}", e);
                // A process that was killed a moment ago may still hold the ports. Dovecot then gives up at once.
                if (_process.HasExited)
                {
                    _process.Dispose();
                    _process = Launch();
                }
            }
            await Task.Delay(20);
        }
    }

    private Process Launch()
    {
        var process = Process.Start(
            new ProcessStartInfo("/usr/sbin/dovecot", ["-F", "-c", Path.Combine(_folder, "conf")])
            {
                RedirectStandardError = true,
                RedirectStandardOutput = true,
            }
        )!;
        process.ErrorDataReceived += (_, _) => { };
        process.BeginErrorReadLine();
        return process;
    }

    /// <summary>
    /// Ends it at once, as a crash would: connections break in mid-command. Sessions are children of the master, and would finish in peace
    /// if only it were ended.
    /// </summary>
    public async Task KillAsync()
    {
        if (_process is null)
            return;
        // Stopped first, so that the master makes no new children while they are ended: one left over would hold the sockets.
        foreach (
            var (command, arguments) in new[]
            {
                ("kill", new[] { "-STOP", $"{_process.Id}" }),
                ("pkill", ["-KILL", "-P", $"{_process.Id}"]),
                ("kill", ["-KILL", $"{_process.Id}"]),
            }
        )
        {
            using var kill = Process.Start(command, arguments);
            await kill.WaitForExitAsync();
        }
        await _process.WaitForExitAsync();
        _process.Dispose();
        _process = null;
    }

    /// <summary>Adds an account or changes its password: Dovecot reads the file at each sign-in.</summary>
    /// <param name="quota">The account's own storage, such as <c>200k</c>; null: the server's.</param>
    public void SetUser(string name, string password, string? quota = null) => SetUsers([(name, password, quota)]);

    public void SetUsers(IReadOnlyCollection<(string Name, string Password, string? Quota)> users)
    {
        var file = Path.Combine(_folder, "users");
        var names = users.Select(u => u.Name).ToHashSet();
        var others = File.ReadAllLines(file).Where(l => !names.Contains(l.Split(':')[0]));
        File.WriteAllLines(
            file,
            [
                .. others,
                .. users.Select(u =>
                    $"{u.Name}:{{PLAIN}}{u.Password}::::::{(u.Quota is null ? "" : $"userdb_quota_rule=*:storage={u.Quota}")}"
                ),
            ]
        );
        // Dovecot compares file times in whole seconds: each change gets a second of its own.
        File.SetLastWriteTimeUtc(file, DateTime.UnixEpoch.AddSeconds(Interlocked.Increment(ref _changes)));
    }

    /// <summary>Where the mail of an account lies on the disk.</summary>
    public string MailOf(string account) => Path.Combine(_folder, "home", account, "mail");

    /// <summary>The owner's rights on a folder, such as <c>lrs</c>, once the folder is there.</summary>
    public void SetRights(string account, string folder, string rights) =>
        File.WriteAllText(
            Path.Combine(_folder, "home", account, "mail", "mailboxes", folder, "dbox-Mails", "dovecot-acl"),
            $"owner {rights}\n"
        );

    /// <summary>An active script of the account's owner.</summary>
    public void SetSieve(string account, string script)
    {
        var home = Directory.CreateDirectory(Path.Combine(_folder, "home", account)).FullName;
        Directory.CreateDirectory(Path.Combine(home, "sieve"));
        File.WriteAllText(Path.Combine(home, "sieve", "mine.sieve"), script);
        File.CreateSymbolicLink(Path.Combine(home, ".dovecot.sieve"), "sieve/mine.sieve");
        if (Environment.UserName == "root")
            Process.Start("chown", ["-R", "nobody:nogroup", home]).WaitForExit();
    }

    /// <summary>Has the indexes of an account rebuilt from what is on the disk, as an administrator does after a crash.</summary>
    public async Task ResyncAsync(string account)
    {
        using var resync = Process.Start(
            new ProcessStartInfo("doveadm", ["-c", Path.Combine(_folder, "conf"), "force-resync", "-u", account, "*"])
            {
                RedirectStandardError = true,
            }
        )!;
        await resync.StandardError.ReadToEndAsync();
        await resync.WaitForExitAsync();
    }

    public async Task<string> ReadLogAsync()
    {
        var log = Path.Combine(_folder, "log");
        return File.Exists(log) ? await File.ReadAllTextAsync(log) : "(no log)";
    }

    public async ValueTask DisposeAsync()
    {
        await KillAsync();
        Directory.Delete(_folder, recursive: true);
    }

    /// <summary>
    /// A port for a server that may be started anew: none from the range out of which connections get their own, or one of those could hold
    /// it meanwhile.
    /// </summary>
    public static int FreePort()
    {
        while (true)
        {
            var port = Random.Shared.Next(20_000, 32_000);
            try
            {
                using var listener = new TcpListener(IPAddress.Loopback, port);
                listener.Start();
                if (s_given.TryAdd(port, 0))
                    return port;
            }
            catch (SocketException)
            {
                // Taken.
            }
        }
    }

    private string Configuration(DovecotManners manners)
    {
        var root = Environment.UserName == "root";
        var self = Environment.UserName;
        var (mailUser, mailGroup) = root ? ("nobody", "nogroup") : (self, self);
        var identity = root
            ? ""
            : $$"""
                default_internal_user = {{self}}
                default_internal_group = {{self}}
                default_login_user = {{self}}
                service anvil {
                  chroot =
                }
                service stats {
                  chroot =
                }
                """;
        string[] mailPlugins =
        [
            .. manners.Quota is null ? Array.Empty<string>() : ["quota"],
            .. manners.Rights ? ["acl"] : Array.Empty<string>(),
        ];
        string[] imapPlugins = [.. mailPlugins.Select(p => $"{p} imap_{p}")];
        var plugins =
            mailPlugins.Length == 0
                ? ""
                : $$"""
                    mail_plugins = {{string.Join(' ', mailPlugins)}}
                    protocol imap {
                      mail_plugins = {{string.Join(' ', imapPlugins)}}
                    }
                    """;
        if (manners.Quota is { } quota)
        {
            plugins += $$"""

                plugin {
                  quota = count:User quota
                  quota_vsizes = yes
                  quota_rule = *:storage={{quota}}
                  quota_grace = 0%
                }
                """;
        }
        if (manners.Rights)
        {
            plugins += """

                plugin {
                  acl = vfile
                  # Whoever acts for an account has its owner's rights.
                  acl_user = %u
                }
                """;
        }
        if (manners.Sieve)
        {
            plugins += $$"""

                plugin {
                  sieve = file:~/sieve;active=~/.dovecot.sieve
                  {{(manners.RulesWithout is { } missing ? $"sieve_extensions = -{missing}" : "")}}
                }
                service managesieve-login {
                  {{(root ? "" : "chroot =")}}
                  inet_listener sieve {
                    port = {{SievePort}}
                  }
                }
                """;
        }
        if (manners.Relay is { } relay)
        {
            plugins += $$"""

                submission_host = 127.0.0.1:{{relay}}
                postmaster_address = postmaster@saltmarsh.example
                service lmtp {
                  inet_listener lmtp {
                    port = {{LmtpPort}}
                  }
                }
                protocol lmtp {
                  mail_plugins = {{string.Join(' ', [.. mailPlugins, "sieve"])}}
                }
                plugin {
                  sieve_redirect_envelope_from = recipient
                }
                """;
        }
        if (manners.Pop3)
        {
            plugins += $$"""

                service pop3-login {
                  {{(root ? "" : "chroot =")}}
                  inet_listener pop3 {
                    port = {{Pop3Port}}
                  }
                  inet_listener pop3s {
                    port = {{Pop3TlsPort}}
                  }
                }
                """;
        }
        var archive = !manners.Archive
            ? ""
            : $$"""
                namespace archive {
                  prefix = Archive{{Separator}}
                  separator = {{Separator}}
                  location = sdbox:~/archive
                }
                """;
        // Stands before the others, because Dovecot looks for the administrator first.
        var administrators = manners.Administrator is null
            ? ""
            : $$"""
                passdb {
                  driver = passwd-file
                  args = {{_folder}}/administrators
                  master = yes
                  result_success = continue
                }
                auth_master_user_separator = *
                """;
        var tokens = "";
        if (manners.Introspection is { } introspection)
        {
            File.WriteAllText(
                Path.Combine(_folder, "tokens"),
                $"introspection_url = {introspection}\nintrospection_mode = post\nusername_attribute = username\n"
                    + "active_attribute = active\nactive_value = true\n"
            );
            tokens = $$"""
                passdb {
                  driver = oauth2
                  mechanisms = oauthbearer xoauth2
                  args = {{_folder}}/tokens
                }
                """;
        }
        return $$"""
            base_dir = {{_folder}}/run
            state_dir = {{_folder}}/state
            log_path = {{_folder}}/log
            protocols = imap {{(manners.Relay is null ? "" : "lmtp")}} {{(manners.Sieve ? "sieve" : "")}} {{(manners.Pop3 ? "pop3" : "")}}
            listen = 127.0.0.1
            ssl = yes
            ssl_cert = <{{_folder}}/cert.pem
            ssl_key = <{{_folder}}/key.pem
            disable_plaintext_auth = no
            auth_mechanisms = plain login {{(manners.Introspection is null ? "" : "oauthbearer xoauth2")}}
            auth_failure_delay = 0
            first_valid_uid = 1
            mail_fsync = never
            mail_location = {{manners.Storage}}:~/mail
            mail_max_userip_connections = 200
            {{(manners.Without.Count == 0 ? "" : $"imap_capability = {string.Join(' ', s_capabilities.Except(manners.Without))}")}}
            {{identity}}
            {{administrators}}
            {{tokens}}
            passdb {
              driver = passwd-file
              args = username_format=%u {{_folder}}/users
            }
            userdb {
              driver = static
              args = uid={{mailUser}} gid={{mailGroup}} home={{_folder}}/home/%u
            }
            namespace inbox {
              inbox = yes
              separator = {{Separator}}
              mailbox Drafts {
                special_use = \Drafts
              }
              mailbox Everything {
                special_use = \All
              }
              mailbox {{(Separator == '/' ? "Sent" : "\"Sent Items\"")}} {
                special_use = \Sent
                auto = create
              }
              mailbox Junk {
                special_use = \Junk
              }
              mailbox {{(Separator == '/' ? "Trash" : "\"Deleted Items\"")}} {
                special_use = \Trash
              }
            }
            {{archive}}
            service imap-login {
              {{(root ? "" : "chroot =")}}
              service_count = 0
              inet_listener imap {
                port = {{PlainPort}}
              }
              inet_listener imaps {
                port = {{TlsPort}}
              }
            }
            service imap {
              process_limit = 300
            }
            {{plugins}}
            """;
    }

    private void WriteCertificate()
    {
        using var authorityKey = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var authorityRequest = new CertificateRequest("CN=Test authority", authorityKey, HashAlgorithmName.SHA256);
        authorityRequest.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
        using var authority = authorityRequest.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(30));
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest("CN=127.0.0.1", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        names.AddIpAddress(IPAddress.Loopback);
        names.AddDnsName("localhost");
        request.CertificateExtensions.Add(names.Build());
        using var certificate = request.Create(
            authority,
            DateTimeOffset.UtcNow.AddDays(-1),
            DateTimeOffset.UtcNow.AddDays(29),
            RandomNumberGenerator.GetBytes(8)
        );
        File.WriteAllText(Path.Combine(_folder, "cert.pem"), certificate.ExportCertificatePem());
        File.WriteAllText(Path.Combine(_folder, "key.pem"), key.ExportPkcs8PrivateKeyPem());
        AuthorityPem = authority.ExportCertificatePem();
    }
}
