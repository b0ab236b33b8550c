using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using NodaTime;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning;

/// <summary>A plan file with the files that it names, as text by the name that the plan uses for them.</summary>
public sealed record PlanBundle(string Name, string Text, IReadOnlyDictionary<string, string> Files);

/// <summary>Reads a plan: its form against the schema, then what the schema cannot say, then the rosters. Every error is reported, not only the first.</summary>
public sealed class PlanFile
{
    private readonly PlanBundle _bundle;
    private readonly bool _withRosters;
    private readonly List<PlanError> _errors;

    private PlanFile(PlanBundle bundle, bool withRosters, List<PlanError> errors) => (_bundle, _withRosters, _errors) = (bundle, withRosters, errors);

    /// <summary>The JSON Schema that plans are checked against, as shipped.</summary>
    public static string Schema { get; } = ReadSchema();

    /// <summary>The plan, or null and what is wrong with it, in the order of the lines.</summary>
    /// <param name="withRosters">False for a plan that was applied before: its people are in the store, and the rosters with their secrets are kept nowhere.</param>
    public static (Plan? Plan, ImmutableArray<PlanError> Errors) Read(PlanBundle bundle, bool withRosters = true)
    {
        var errors = new List<PlanError>();
        var plan = new PlanFile(bundle, withRosters, errors).Read();
        return (errors.Count == 0 ? plan : null, [.. errors.OrderBy(e => e.File != bundle.Name).ThenBy(e => e.File, StringComparer.Ordinal).ThenBy(e => e.Line)]);
    }

    private Plan? Read()
    {
        if (Parse() is not { } root) return null;
        using var schema = JsonDocument.Parse(Schema);
        new SchemaCheck(_bundle.Name, schema.RootElement, _errors).Check(root);
        if (_errors.Count > 0) return null;

        var services = Entries(root, "services").Select(e => ReadService(e.Name, e.Node)).ToImmutableArray();
        var routes = Entries(root, "routes").Select(e => ReadRoute(e.Name, e.Node, services)).ToImmutableArray();
        var batches = Entries(root, "batches").Select(e => ReadBatch(e.Name, e.Node, routes)).ToImmutableArray();
        var plan = new Plan(services, routes, batches);
        if (_withRosters) CheckAccounts(plan);
        return plan;
    }

    private YamlMappingNode? Parse()
    {
        try
        {
            if (BoundedYaml.Load(_bundle.Text) is YamlMappingNode root) return root;
        }
        catch (YamlException broken)
        {
            Report(Math.Max(1, (int)broken.Start.Line), $"this is not YAML that a plan can be read from: {broken.InnerException?.Message ?? broken.Message}", "see docs/plan.md for a whole plan to start from");
            return null;
        }
        Report(1, "the plan is empty or not a mapping", "it needs services, routes and batches");
        return null;
    }

    private Service ReadService(string name, YamlMappingNode node)
    {
        var mail = (YamlMappingNode)node["mail"];
        var security = Text(mail, "security") switch { "starttls" => Security.StartTls, "none" => Security.None, _ => Security.Tls };
        var speaks = Text(mail, "speaks") == "pop3" ? MailProtocol.Pop3 : MailProtocol.Imap;
        // RFC 8314 §3.2 and §3.3, RFC 9051 §2.1, RFC 1939 §3.
        var port = Number(mail, "port") ?? (speaks, security) switch { (MailProtocol.Imap, Security.Tls) => 993, (MailProtocol.Imap, _) => 143, (_, Security.Tls) => 995, _ => 110 };
        var connection = new MailConnection(speaks, Text(mail, "host")!, port, security);
        return new Service(name, connection, ReadSignIn(node), ReadTrust(node), ReadLimits(node)) { Rules = ReadRules(node), Names = ReadNames(node), Help = ReadHelp(node) };
    }

    private static RulesConnection? ReadRules(YamlMappingNode service)
    {
        if (Section(service, "rules") is not { } rules) return null;
        var security = Text(rules, "security") switch { "tls" => Security.Tls, "none" => Security.None, _ => Security.StartTls };
        // RFC 5804 §1.8.
        return new RulesConnection(Text(rules, "host")!, Number(rules, "port") ?? 4190, security);
    }

    private SignIn ReadSignIn(YamlMappingNode service)
    {
        if (Section(service, "sign-in") is not { } node) return new SignIn.Password(null);
        var with = Text(node, "with") ?? "password";
        string[] known = with switch
        {
            "password" => ["with", "secret"],
            "on-behalf" => ["with", "admin", "secret", "login"],
            _ => ["with", "grant", "token-url", "authorize-url", "device-url", "client-id", "client-secret", "scopes", "key", "key-id", "issuer", "audience", "mechanism"],
        };
        foreach (var key in node.Children.Keys.OfType<YamlScalarNode>().Where(k => !known.Contains(k.Value)))
            Report(key, $"'{key.Value}' says nothing when accounts sign in with {with}", $"with {with}: {string.Join(", ", known[1..])}");
        switch (with)
        {
            case "password":
                return new SignIn.Password(Secret(node, "secret"));
            case "on-behalf":
                Need(node, "sign-in on behalf", "admin", "secret");
                return new SignIn.OnBehalf(Text(node, "admin") ?? "", Secret(node, "secret") ?? new SecretReference.File("missing"), Text(node, "login"));
            default:
                return ReadOAuth(node);
        }
    }

    private SignIn.OAuth ReadOAuth(YamlMappingNode node)
    {
        Need(node, "sign-in with oauth", "grant", "token-url", "client-id");
        var grant = Text(node, "grant") switch
        {
            "client-credentials" => OAuthGrant.ClientCredentials,
            "jwt-bearer" => OAuthGrant.JwtBearer,
            "device-code" => OAuthGrant.DeviceCode,
            "authorization-code" => OAuthGrant.AuthorizationCode,
            _ => OAuthGrant.RefreshToken,
        };
        string[] needed = grant switch
        {
            OAuthGrant.ClientCredentials => ["client-secret"],
            OAuthGrant.JwtBearer => ["key"],
            OAuthGrant.DeviceCode => ["device-url"],
            OAuthGrant.AuthorizationCode => ["authorize-url"],
            OAuthGrant.RefreshToken => [],
        };
        Need(node, $"the grant {Text(node, "grant")}", needed);
        Uri? Url(string key)
        {
            if (Text(node, key) is not { } text) return null;
            if (!Uri.TryCreate(text, UriKind.Absolute, out var url)) Report(node[key], $"'{text}' is not a URL", "a URL such as https://login.lanternpost.example/token");
            // Tokens are as good as passwords (RFC 6749 §1.6).
            else if (url.Scheme != "https" && !url.IsLoopback) Report(node[key], $"'{text}' is not protected", "a URL that begins with https://");
            return url;
        }
        var scopes = node.Children.TryGetValue("scopes", out var list) ? ((YamlSequenceNode)list).Children.Select(s => ((YamlScalarNode)s).Value!).ToImmutableArray() : [];
        var client = new OAuthClient(
            Url("token-url") ?? new Uri("https://invalid.example/"), Url("authorize-url"), Url("device-url"), Text(node, "client-id") ?? "", Secret(node, "client-secret"), scopes,
            Secret(node, "key"), Text(node, "key-id"), Text(node, "issuer"), Text(node, "audience"));
        return new SignIn.OAuth(grant, client, Text(node, "mechanism") switch { "oauthbearer" => BearerMechanism.OAuthBearer, "xoauth2" => BearerMechanism.XOAuth2, _ => null });
    }

    private void Need(YamlMappingNode node, string what, params string[] keys)
    {
        foreach (var key in keys.Where(k => !node.Children.ContainsKey(k)))
            Report(node, $"{what} needs '{key}'", $"it needs {string.Join(", ", keys)}");
    }

    private SecretReference? Secret(YamlMappingNode node, string key)
    {
        if (Section(node, key) is not { } secret) return null;
        if (secret.Children.Count == 1) return Text(secret, "env") is { } variable ? new SecretReference.Environment(variable) : new SecretReference.File(Text(secret, "file")!);
        Report(secret, $"'{key}' names two places", "{env: CARAVAN_SECRET_NAME} or {file: NAME}");
        return null;
    }

    private static FolderNames ReadNames(YamlMappingNode service)
    {
        if (Section(service, "folder-names") is not { } node) return FolderNames.Any;
        var reserved = node.Children.TryGetValue("reserved", out var list) ? ((YamlSequenceNode)list).Children.Select(n => ((YamlScalarNode)n).Value!).ToImmutableArray() : [];
        return new FolderNames(reserved, Text(node, "illegal") ?? "", Number(node, "deepest"), Number(node, "longest"), Text(node, "ignore-case") == "true");
    }

    private static ImmutableArray<Help> ReadHelp(YamlMappingNode service) => service.Children.TryGetValue("help", out var list)
        ? [.. ((YamlSequenceNode)list).Children.Cast<YamlMappingNode>().Select(h => new Help(Text(h, "says")!, Text(h, "remedy")!.TrimEnd('.')))]
        : [];

    private Trust ReadTrust(YamlMappingNode service)
    {
        if (!service.Children.TryGetValue("trust", out var trust)) return new Trust.System();
        if (trust is YamlScalarNode scalar) return scalar.Value == "none" ? new Trust.Anyone() : new Trust.System();
        var file = Text((YamlMappingNode)trust, "ca-file")!;
        if (!_bundle.Files.TryGetValue(file, out var pem)) Report(trust, $"the file '{file}' was not found", "a path relative to the plan file");
        else if (!pem.Contains("-----BEGIN CERTIFICATE-----", StringComparison.Ordinal)) Report(trust, $"'{file}' holds no certificate", "one or more certificates in PEM form");
        return new Trust.Authorities(pem ?? "", file);
    }

    private static Limits ReadLimits(YamlMappingNode service)
    {
        if (!service.Children.TryGetValue("limits", out var node)) return Limits.Default;
        var limits = (YamlMappingNode)node;
        return new Limits(Number(limits, "connections") ?? Limits.Default.Connections, Number(limits, "per-account") ?? Limits.Default.PerAccount, Size(limits, "largest-message"))
        {
            BytesPerDay = Size(limits, "bytes-per-day-per-account"),
            MessagesPerSecond = Rate(limits, "messages-per-second"),
            BytesPerSecond = Size(limits, "bytes-per-second"),
            MessagesPerSecondPerAccount = Rate(limits, "messages-per-second-per-account"),
            BytesPerSecondPerAccount = Size(limits, "bytes-per-second-per-account"),
            DayStarts = Text(limits, "day-starts") is { } starts ? NodaTime.Text.LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(starts).Value : LocalTime.Midnight,
        };
    }

    private Route ReadRoute(string name, YamlMappingNode node, ImmutableArray<Service> services)
    {
        foreach (var side in new[] { "from", "to" })
        {
            var service = Text(node, side)!;
            if (services.All(s => s.Name != service))
                Report(node[side], $"'{service}' is not a service of this plan{Spelling.Suggest(service, services.Select(s => s.Name))}", $"one of {string.Join(", ", services.Select(s => s.Name))}");
        }
        if (services.FirstOrDefault(s => s.Name == Text(node, "to"))?.Mail.Speaks is MailProtocol.Pop3)
            Report(node["to"], $"'{Text(node, "to")}' speaks POP3, which takes no mail", "a service that speaks imap");
        if (Text(node, "old-side") == "delete-after-proof" && services.FirstOrDefault(s => s.Name == Text(node, "from"))?.Mail.Speaks is MailProtocol.Imap)
            Report(node["old-side"], "delete-after-proof is for services that speak POP3", "leave; over IMAP the old side is only read");
        if (Text(node, "deletions") == "follow" && services.FirstOrDefault(s => s.Name == Text(node, "from"))?.Mail.Speaks is MailProtocol.Pop3)
            Report(node["deletions"], "over POP3 programs delete what they have fetched, which says nothing about what its owner wants", "keep");
        var rules = node.Children.TryGetValue("folders", out var list) ? ReadRules((YamlSequenceNode)list) : [];
        var mail = new MailRules(null, null);
        if (node.Children.TryGetValue("mail", out var filter))
        {
            var since = default(LocalDate?);
            if (Text((YamlMappingNode)filter, "since") is { } text)
            {
                var parsed = NodaTime.Text.LocalDatePattern.Iso.Parse(text);
                if (parsed.Success) since = parsed.Value;
                else Report(filter, $"'{text}' is not a day of the calendar", "a day such as 2015-01-01");
            }
            mail = new MailRules(since, Size((YamlMappingNode)filter, "largest"), Text((YamlMappingNode)filter, "keywords") == "drop") { Mark = Text((YamlMappingNode)filter, "mark") };
        }
        var under = Text(node, "under");
        if (under is not null && (!FolderPath.TryParse(under, out var place) || place!.IsInbox)) Report(node["under"], $"'{under}' is not a folder", "a folder such as \"Old mail\" or \"Old mail/{name}\"");
        return new Route(name, Text(node, "from")!, Text(node, "to")!, rules, mail, Text(node, "doubles") == "keep-both" ? Doubles.KeepBoth : Doubles.Pair)
        {
            Under = under, Root = Text(node, "root"), SharedToAccounts = Text(node, "shared-to-accounts") == "true", Shaping = ReadShaping(node),
            Labels = Text(node, "labels") == "once-with-keyword" ? Labels.OnceWithKeyword : Labels.EachFolder,
            Deletions = Text(node, "deletions") == "follow" ? Deletions.Follow : Deletions.Keep,
            Turns = Text(node, "turns") == "small-first" ? Turns.SmallFirst : Turns.AsListed,
            OldSide = Text(node, "old-side") == "delete-after-proof" ? OldSide.DeleteAfterProof : OldSide.Leave,
        };
    }

    private static Shaping ReadShaping(YamlMappingNode route)
    {
        if (Section(route, "shaping") is not { } node) return Shaping.Default;
        var byDefault = Shaping.Default;
        return byDefault with
        {
            ReservedSuffix = Text(node, "reserved") ?? byDefault.ReservedSuffix,
            Substitute = Text(node, "illegal") ?? byDefault.Substitute,
            Joiner = Text(node, "joiner") ?? byDefault.Joiner,
            Clash = Text(node, "clash") == "merge" ? ClashWay.Merge : ClashWay.Number,
        };
    }

    private ImmutableArray<FolderRule> ReadRules(YamlSequenceNode list) =>
        [.. list.Children.Select((r, i) => ReadRule(i + 1, (YamlMappingNode)r)).OfType<FolderRule>()];

    private FolderRule? ReadRule(int number, YamlMappingNode node)
    {
        if (ReadMatch(node["match"]) is not { } match) return null;
        var leave = Text(node, "leave") == "true";
        var placed = node.Children.ContainsKey("below") || node.Children.ContainsKey("flatten");
        if (new[] { leave, node.Children.ContainsKey("to"), placed }.Count(o => o) != 1)
            return Refuse(node, "a folder rule needs one of leave: true, to:, or below: and flatten:", "{match: Trash, leave: true}, {match: \"Projects/**\", to: \"Work/**\"} or {match: \"Projects/**\", flatten: \" - \"}");
        if (leave) return new FolderRule(number, match, new FolderOutcome.Leave());
        if (placed)
        {
            var below = default(FolderPath);
            if (Text(node, "below") is { } text && !FolderPath.TryParse(text, out below)) return Refuse(node["below"], $"'{text}' is not a folder", "a folder such as Old");
            return new FolderRule(number, match, new FolderOutcome.Placed(below, Text(node, "flatten")));
        }
        var to = node["to"];
        if (Use(to) is { } toUse) return new FolderRule(number, match, new FolderOutcome.ToUse(toUse));
        var pattern = ((YamlScalarNode)to).Value!;
        if (match is FolderMatch.Expression) return new FolderRule(number, match, new FolderOutcome.To(pattern));
        var plain = pattern.EndsWith("/**", StringComparison.Ordinal) ? pattern[..^3] : pattern;
        if (!FolderPath.TryParse(plain, out _) || plain.Contains('*', StringComparison.Ordinal)) return Refuse(to, $"'{pattern}' is not a place for a folder", "a name such as Work/Old, or one that ends in /** like its match");
        if (plain != pattern && (match as FolderMatch.Glob)?.Pattern.Contains("**", StringComparison.Ordinal) != true) return Refuse(to, $"'{pattern}' keeps the names below, but the match has no **", "use ** in both or in neither");
        return new FolderRule(number, match, new FolderOutcome.To(pattern));
    }

    private FolderMatch? ReadMatch(YamlNode match)
    {
        if (match is YamlScalarNode { Value: { } glob })
        {
            if (FolderPath.TryParse(glob, out _)) return new FolderMatch.Glob(glob);
            Report(match, $"'{glob}' is not a folder or glob", "names with '/' between them, * within a name, ** over any number of names");
            return null;
        }
        var kinds = (YamlMappingNode)match;
        if (kinds.Children.Count != 1)
        {
            Report(match, "a rule matches by one thing", "one of use, name and regex");
            return null;
        }
        if (Use(match) is { } use) return new FolderMatch.Use(use);
        if (Text(kinds, "name") is { } name)
        {
            if (FolderPath.TryParse(name, out var path)) return new FolderMatch.Name(path!);
            Report(match, $"'{name}' is not a folder", "names with '/' between them");
            return null;
        }
        var expression = Text(kinds, "regex")!;
        try
        {
            return new FolderMatch.Expression(expression);
        }
        catch (Exception e) when (e is ArgumentException or NotSupportedException)
        {
            Report(match, $"'{expression}' is not a regular expression that can be used: {e.Message}", "an expression without look-around and back-references");
            return null;
        }
    }

    private FolderRule? Refuse(YamlNode where, string what, string allowed)
    {
        Report(where, what, allowed);
        return null;
    }

    private Batch ReadBatch(string name, YamlMappingNode node, ImmutableArray<Route> routes)
    {
        var route = Text(node, "route")!;
        if (routes.All(r => r.Name != route))
            Report(node["route"], $"'{route}' is not a route of this plan{Spelling.Suggest(route, routes.Select(r => r.Name))}", $"one of {string.Join(", ", routes.Select(r => r.Name))}");
        var roster = Text(node, "roster")!;
        ImmutableArray<RosterPerson> people = [];
        if (!_withRosters) people = [];
        else if (_bundle.Files.TryGetValue(roster, out var csv)) people = Roster.Read(roster, csv, _errors);
        else Report(node["roster"], $"the file '{roster}' was not found", "a path relative to the plan file");
        var timetable = node.Children.TryGetValue("timetable", out var t) ? ReadTimetable((YamlMappingNode)t) : null;
        return new Batch(name, route, roster, people, timetable);
    }

    private Timetable ReadTimetable(YamlMappingNode node)
    {
        var zoneName = Text(node, "zone")!;
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(zoneName);
        if (zone is null) Report(node["zone"], $"'{zoneName}' is not a time zone{Spelling.Suggest(zoneName, DateTimeZoneProviders.Tzdb.Ids)}", "a name of the IANA time zone database such as Europe/Dublin");
        var windows = node.Children.TryGetValue("windows", out var list)
            ? ((YamlSequenceNode)list).Children.Cast<YamlMappingNode>().Select(w => new Window(Days(Text(w, "days")!), Time(w, "from"), Time(w, "to"))).ToImmutableArray()
            : [];
        return new Timetable(zone ?? DateTimeZone.Utc, windows, Text(node, "catch-up-every") is { } every ? ReadDuration(every) : null);

        static LocalTime Time(YamlMappingNode window, string key) =>
            Text(window, key) is { } text ? NodaTime.Text.LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(text).Value : LocalTime.Midnight;
    }

    private static ImmutableArray<IsoDayOfWeek> Days(string text)
    {
        string[] names = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
        var ends = text.Split('-').Select(d => Array.IndexOf(names, d)).ToArray();
        var days = ImmutableArray.CreateBuilder<IsoDayOfWeek>();
        for (var day = ends[0]; ; day = (day + 1) % 7)
        {
            days.Add((IsoDayOfWeek)(day + 1));
            if (day == ends[^1]) return days.ToImmutable();
        }
    }

    private static Duration ReadDuration(string text)
    {
        var number = int.Parse(text[..^1], CultureInfo.InvariantCulture);
        return text[^1] switch { 'm' => Duration.FromMinutes(number), 'h' => Duration.FromHours(number), _ => Duration.FromDays(number) };
    }

    /// <summary>Nobody twice on the from side of a service, and no two people in one account of the to side, over all batches.</summary>
    private void CheckAccounts(Plan plan)
    {
        var all = from batch in plan.Batches
                  let route = plan.Routes.FirstOrDefault(r => r.Name == batch.Route)
                  where route is not null
                  from person in batch.People
                  select (batch, route, person);
        var fromSeen = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var toSeen = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var shared = new Dictionary<string, List<(string Place, FolderPath? Under)>>(StringComparer.OrdinalIgnoreCase);
        foreach (var (batch, route, person) in all)
        {
            var place = $"{batch.RosterFile} line {person.Line} ({person.Name})";
            if (!fromSeen.TryAdd($"{route.From} {person.FromAccount}", place))
                _errors.Add(new PlanError(batch.RosterFile, person.Line, $"{person.FromAccount} is already moved by {fromSeen[$"{route.From} {person.FromAccount}"]}", "each from_account once in all batches of the plan"));
            var root = person.ToRoot ?? route.Root;
            var account = $"{route.To} {person.ToAccount} {(root == CarryRules.AccountRoot ? null : root)}";
            if (!route.SharedToAccounts)
            {
                if (!toSeen.TryAdd(account, place))
                    _errors.Add(new PlanError(batch.RosterFile, person.Line, $"{person.ToAccount} already receives the mail of {toSeen[account]}", "two people cannot land in one account: give each a to_account of their own, or allow it with the route's shared-to-accounts"));
            }
            else
            {
                // Even then each has a folder of their own: what two people carried into one folder, nobody could tell apart again.
                var under = (person.ToUnder ?? route.Under) is { } u && FolderPath.TryParse(u, out _) ? CarryRules.PlaceFor(u, person.Name, person.FromAccount) : null;
                if (!shared.TryGetValue(account, out var others)) shared[account] = others = [];
                if (others.FirstOrDefault(o => Overlap(o.Under, under)) is { Place: { } other })
                    _errors.Add(new PlanError(batch.RosterFile, person.Line, $"{person.ToAccount} is shared, and {person.Name} would land above, below or in the folder of {other}", "a folder for each: under: \"Old mail/{name}\" in the route, or to_under in the roster"));
                others.Add((place, under));
            }
            if (route.From == route.To && person.FromAccount.Equals(person.ToAccount, StringComparison.OrdinalIgnoreCase))
                _errors.Add(new PlanError(batch.RosterFile, person.Line, $"{person.FromAccount} would be moved onto itself", "another to_account, or another service as the route's to"));
        }
    }

    /// <summary>One is the other, or above it; the account's root is above all.</summary>
    private static bool Overlap(FolderPath? a, FolderPath? b)
    {
        if (a is null || b is null) return true;
        var common = Math.Min(a.Names.Length, b.Names.Length);
        return a.Names[..common].SequenceEqual(b.Names[..common], StringComparer.OrdinalIgnoreCase);
    }

    private static IEnumerable<(string Name, YamlMappingNode Node)> Entries(YamlMappingNode root, string section) =>
        ((YamlMappingNode)root[section]).Children.Select(c => (((YamlScalarNode)c.Key).Value!, (YamlMappingNode)c.Value));

    private static string? Text(YamlMappingNode node, string key) => node.Children.TryGetValue(key, out var value) ? ((YamlScalarNode)value).Value : null;

    private static long? Size(YamlMappingNode node, string key) => Text(node, key) is { } text && ByteCount.TryParse(text, out var octets) ? octets : null;

    private static double? Rate(YamlMappingNode node, string key) => Text(node, key) is { } text ? double.Parse(text, CultureInfo.InvariantCulture) : null;

    private static SpecialUse? Use(YamlNode node) =>
        node is YamlMappingNode mapping && Text(mapping, "use") is { } use ? Enum.Parse<SpecialUse>(use, ignoreCase: true) : null;

    private static YamlMappingNode? Section(YamlMappingNode node, string key) => node.Children.TryGetValue(key, out var value) ? (YamlMappingNode)value : null;

    private static int? Number(YamlMappingNode node, string key) => Text(node, key) is { } text ? int.Parse(text, CultureInfo.InvariantCulture) : null;

    private void Report(YamlNode node, string what, string allowed) => Report((int)node.Start.Line, what, allowed);

    private void Report(int line, string what, string allowed) => _errors.Add(new PlanError(_bundle.Name, line, what, allowed));

    private static string ReadSchema()
    {
        using var stream = typeof(PlanFile).Assembly.GetManifestResourceStream("plan.schema.json")!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
