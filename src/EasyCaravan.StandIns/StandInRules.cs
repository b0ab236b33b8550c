using System.Collections.Concurrent;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;

namespace EasyCaravan.StandIns;

/// <summary>The mail rules of one account: scripts by name, of which one may be active.</summary>
public sealed class StandInScripts
{
    private readonly ConcurrentDictionary<string, string> _scripts = new(StringComparer.Ordinal);

    public IReadOnlyDictionary<string, string> All => _scripts;

    public string? Active { get; internal set; }

    public void Put(string name, string script, bool isActive = false)
    {
        _scripts[name] = script;
        if (isActive)
            Active = name;
    }

    internal void Remove(string name) => _scripts.TryRemove(name, out _);
}

/// <summary>
/// Mail rules of a stand-in's accounts over ManageSieve (RFC 5804). Of what rules say it follows forwarding alone: nothing else is needed
/// to see people cross.
/// </summary>
/// <param name="service">Whose accounts sign in here.</param>
public sealed partial class StandInRules(StandInImap service) : StandInServer
{
    private readonly ConcurrentDictionary<string, StandInScripts> _rules = new(StringComparer.OrdinalIgnoreCase);

    [GeneratedRegex("redirect\\s+(?<copy>:copy\\s+)?\"(?<to>[^\"]+)\"")]
    private static partial Regex Redirect();

    public StandInScripts Of(string account) => _rules.GetOrAdd(account, _ => new StandInScripts());

    /// <summary>Where mail for an account goes: to which other addresses, and whether a copy stays.</summary>
    public (IReadOnlyList<string> To, bool Keeps) WayOf(string account)
    {
        var scripts = Of(account);
        if (scripts.Active is not { } active || !scripts.All.TryGetValue(active, out var script))
            return ([], true);
        var found = Redirect().Matches(script);
        return ([.. found.Select(m => m.Groups["to"].Value)], found.Count == 0 || found.Any(m => m.Groups["copy"].Success));
    }

    protected override async Task TalkAsync(TcpClient client, CancellationToken cancel)
    {
        await using var stream = client.GetStream();
        var input = new StandInInput(stream);
        Task SayAsync(string line, CancellationToken c) => stream.WriteAsync(Encoding.UTF8.GetBytes(line + "\r\n"), c).AsTask();
        const string Capabilities =
            "\"IMPLEMENTATION\" \"stand-in\"\r\n\"SASL\" \"PLAIN\"\r\n\"SIEVE\" \"fileinto copy include vacation mailbox\"\r\n"
            + "\"VERSION\" \"1.0\"\r\nOK \"ready\"";
        await SayAsync(Capabilities, cancel);
        StandInScripts? scripts = null;
        while (await input.ReadWordsAsync((_, _) => Task.CompletedTask, cancel) is { } words)
        {
            if (words.Count == 0)
                continue;
            var verb = words[0].ToUpperInvariant();
            if (verb == "LOGOUT")
            {
                await SayAsync("OK", cancel);
                return;
            }
            if (verb == "AUTHENTICATE")
                scripts = SignIn(words);
            await SayAsync(
                verb switch
                {
                    "CAPABILITY" => Capabilities,
                    "NOOP" => "OK",
                    _ when scripts is null => "NO \"Wrong login or password\"",
                    "AUTHENTICATE" => "OK",
                    _ => Answer(verb, [.. words.Skip(1).Select(AsText)], scripts),
                },
                cancel
            );
        }
    }

    /// <summary>What was read octet by octet is UTF-8 (RFC 5804 §4).</summary>
    private static string AsText(string word) => Encoding.UTF8.GetString(Encoding.Latin1.GetBytes(word));

    private StandInScripts? SignIn(List<string> words) =>
        words.Count > 2
        && Encoding.UTF8.GetString(Convert.FromBase64String(words[2])).Split('\0') is [_, var login, var password]
        && service.Find(login)?.Password == password
            ? Of(login)
            : null;

    private static string Answer(string verb, string[] words, StandInScripts scripts)
    {
        switch (verb, words)
        {
            case ("LISTSCRIPTS", _):
                return string.Concat(
                        scripts.All.Keys.Order(StringComparer.Ordinal).Select(n => $"\"{n}\"{(n == scripts.Active ? " ACTIVE" : "")}\r\n")
                    ) + "OK";
            case ("GETSCRIPT", [var name]) when scripts.All.TryGetValue(name, out var script):
                return $"{{{Encoding.UTF8.GetByteCount(script)}}}\r\n{script}\r\nOK";
            case ("CHECKSCRIPT", [_]) or ("HAVESPACE", _):
                return "OK";
            case ("PUTSCRIPT", [var name, var script]):
                scripts.Put(name, script);
                return "OK";
            case ("SETACTIVE", [""]):
                scripts.Active = null;
                return "OK";
            case ("SETACTIVE", [var name]) when scripts.All.ContainsKey(name):
                scripts.Active = name;
                return "OK";
            case ("DELETESCRIPT", [var name]) when name != scripts.Active:
                scripts.Remove(name);
                return "OK";
            default:
                return "NO \"Not like that\"";
        }
    }
}
