using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;

namespace EasyCaravan.Peers;

/// <summary>
/// Courier's IMAP server on loopback: plain as servers once were, without LITERAL+, MULTIAPPEND, CONDSTORE or MOVE, everything below INBOX,
/// and the one in Debian that has UTF8=ACCEPT. Its package is unpacked to a folder of the build; whoever signs in is let in here, and from
/// then on talks to Courier itself, as its own login program hands over to it.
/// </summary>
public sealed partial class CourierServer : IAsyncDisposable
{
    private const string Capabilities = "IMAP4rev1 UIDPLUS CHILDREN NAMESPACE SORT QUOTA IDLE ENABLE UTF8=ACCEPT";

    private static readonly string s_unpacked = Unpacked.FolderOf("courier");

    private readonly string _folder = Directory.CreateTempSubdirectory("courier").FullName;
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly CancellationTokenSource _stop = new();
    private readonly Dictionary<string, string> _users;
    private readonly List<Task> _sessions = [];
    private Task _accepting = Task.CompletedTask;

    private CourierServer(IEnumerable<(string Login, string Password)> users) => _users = users.ToDictionary(u => u.Login, u => u.Password);

    /// <summary>IMAP without TLS.</summary>
    public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

    /// <param name="users">Logins and passwords.</param>
    public static async Task<CourierServer> StartAsync(IEnumerable<(string Login, string Password)> users)
    {
        var server = new CourierServer(users);
        foreach (var login in server._users.Keys)
        {
            Directory.CreateDirectory(server.HomeOf(login));
            using var made = Process.Start(server.Info("maildirmake.courier", login, ["Maildir"]))
                ?? throw new InvalidOperationException(
                    "Courier is not unpacked below artifacts/peers/courier: run ./test once, which does it."
                );
            await made.WaitForExitAsync();
            if (made.ExitCode != 0)
                throw new InvalidOperationException($"The mailbox of {login} cannot be made.");
        }
        server._listener.Start();
        server._accepting = server.AcceptAsync();
        return server;
    }

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Dispose();
        await _accepting;
        await Task.WhenAll(_sessions);
        _stop.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    private async Task AcceptAsync()
    {
        while (!_stop.IsCancellationRequested)
        {
            try
            {
                _sessions.Add(ServeAsync(await _listener.AcceptTcpClientAsync(_stop.Token)));
            }
            catch (Exception e) when (e is OperationCanceledException or SocketException or ObjectDisposedException)
            {
                return;
            }
        }
    }

    private async Task ServeAsync(TcpClient client)
    {
        using (client)
        {
            try
            {
                var stream = client.GetStream();
                if (await LetInAsync(stream) is not var (login, tag))
                    return;
                var info = Info("imapd", login, ["Maildir"]);
                (info.RedirectStandardInput, info.RedirectStandardOutput, info.RedirectStandardError) = (true, true, true);
                foreach (
                    var (name, value) in new[]
                    {
                        ("IMAPLOGINTAG", tag),
                        ("AUTHENTICATED", login),
                        ("AUTHADDR", login),
                        ("PROTOCOL", "IMAP"),
                        ("IMAP_CAPABILITY", Capabilities),
                        ("IMAP_KEYWORDS", "1"),
                        ("IMAP_ENHANCEDIDLE", "0"),
                        ("IMAP_USELOCKS", "0"),
                        ("IMAP_EMPTYTRASH", ""),
                        ("TCPREMOTEIP", "127.0.0.1"),
                        ("TCPREMOTEPORT", "1"),
                    }
                )
                    info.Environment[name] = value;
                using var imapd = Process.Start(info)!;
                _ = imapd.StandardError.ReadToEndAsync();
                var there = stream.CopyToAsync(imapd.StandardInput.BaseStream, _stop.Token);
                var back = imapd.StandardOutput.BaseStream.CopyToAsync(stream, _stop.Token);
                await Task.WhenAny(there, back);
                imapd.Kill();
                client.Close();
                await Task.WhenAll(there, back, imapd.WaitForExitAsync());
            }
            catch (Exception e) when (e is OperationCanceledException or IOException or SocketException or ObjectDisposedException)
            {
                // The client or the test ended the connection.
            }
        }
    }

    /// <summary>What Courier's login program does before it starts the server: looks at the password.</summary>
    private async Task<(string Login, string Tag)?> LetInAsync(NetworkStream stream)
    {
        ValueTask SendAsync(string line) => stream.WriteAsync(Encoding.ASCII.GetBytes(line + "\r\n"), _stop.Token);
        await SendAsync($"* OK [CAPABILITY {Capabilities}] Courier-IMAP ready.");
        while (await ReadLineAsync(stream) is { } line)
        {
            var tag = line.Split(' ')[0];
            if (Login().Match(line) is { Success: true } login)
            {
                if (_users.GetValueOrDefault(login.Groups[1].Value) == login.Groups[2].Value)
                    return (login.Groups[1].Value, tag);
                await SendAsync($"{tag} NO [AUTHENTICATIONFAILED] Login failed.");
            }
            else if (line.EndsWith(" CAPABILITY", StringComparison.OrdinalIgnoreCase))
                await SendAsync($"* CAPABILITY {Capabilities}\r\n{tag} OK CAPABILITY completed");
            else if (line.EndsWith(" LOGOUT", StringComparison.OrdinalIgnoreCase))
                return null;
            else
                await SendAsync($"{tag} BAD Sign in first.");
        }
        return null;
    }

    /// <summary>Octet by octet: what follows the sign-in is read by Courier.</summary>
    private async Task<string?> ReadLineAsync(NetworkStream stream)
    {
        var line = new StringBuilder();
        var octet = new byte[1];
        while (await stream.ReadAsync(octet, _stop.Token) > 0)
        {
            if (octet[0] == '\n')
                return line.ToString().TrimEnd('\r');
            line.Append((char)octet[0]);
        }
        return null;
    }

    private string HomeOf(string login) => Path.Combine(_folder, login);

    private ProcessStartInfo Info(string program, string login, string[] arguments)
    {
        var info = new ProcessStartInfo(Path.Combine(s_unpacked, "usr/bin", program), arguments) { WorkingDirectory = HomeOf(login) };
        info.Environment["LD_LIBRARY_PATH"] = string.Join(
            ':',
            new[] { "usr/lib", "usr/lib/x86_64-linux-gnu", "usr/lib/courier-authlib" }.Select(p => Path.Combine(s_unpacked, p))
        );
        return info;
    }

    [GeneratedRegex("""^\S+ LOGIN "?([^" ]+)"? "?([^"]+?)"?$""", RegexOptions.IgnoreCase)]
    private static partial Regex Login();
}
