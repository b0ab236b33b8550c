using System.Collections.Immutable;
using NodaTime;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads an entry of <c>services:</c>.</summary>
internal static class ServiceSection
{
    private static readonly string[] s_ofFiles = ["file", "columns"];

    private static readonly string[] s_ofServers = ["url", "security"];

    private static readonly string[] s_ofMailFiles = ["file", "dialect", "unmarked"];

    private static readonly string[] s_ofMailServers = ["host", "port", "security"];

    public static Service Read(string name, YamlMappingNode node, PlanErrors errors)
    {
        var service = new Service(
            name,
            ReadMail(node, errors),
            SignInSection.Read(node, errors),
            TrustSection.Read(node, errors),
            ReadLimits(node)
        )
        {
            MailFiles = ReadMailFiles(node, errors),
            Contacts = ReadCollections(node, "contacts", errors),
            Calendars = ReadCollections(node, "calendars", errors),
            Rules = ReadRules(node),
            Parcels = ParcelSection.Read(node, errors),
            Sending = SendingSection.Read(node),
            Confirmation = CrossingSection.ReadConfirmation(node, errors),
            Names = ReadNames(node),
            Help = ReadHelp(node),
        };
        if (service.Kinds.IsEmpty)
            errors.Report(
                node,
                $"the service '{name}' has nothing to carry",
                "at least one of mail, contacts and calendars, or parcels: alone"
            );
        return service;
    }

    private static MailConnection? ReadMail(YamlMappingNode service, PlanErrors errors)
    {
        if (service.Section("mail") is not { } mail || IsOfFiles(mail))
            return null;
        foreach (var key in s_ofMailFiles.Where(k => mail.Children.ContainsKey(k)))
            errors.Report(mail[key], $"'{key}' is for mail in files", "speaks: mbox, maildir or eml, or host: and port:");
        if (mail.Text("host") is not { } host)
        {
            errors.Report(mail, "it is not said where the mail is", "host: such as imap.lanternpost.example");
            return null;
        }
        var security = mail.Text("security") switch
        {
            "starttls" => Security.StartTls,
            "none" => Security.None,
            _ => Security.Tls,
        };
        var speaks = mail.Text("speaks") == "pop3" ? MailProtocol.Pop3 : MailProtocol.Imap;
        // RFC 8314 §3.2 and §3.3, RFC 9051 §2.1, RFC 1939 §3.
        var port = mail.Number("port")
            ?? (speaks, security) switch
            {
                (MailProtocol.Imap, Security.Tls) => 993,
                (MailProtocol.Imap, _) => 143,
                (_, Security.Tls) => 995,
                _ => 110,
            };
        return new MailConnection(speaks, host, port, security);
    }

    private static bool IsOfFiles(YamlMappingNode mail) => mail.Text("speaks") is "mbox" or "maildir" or "eml";

    private static MailFiles? ReadMailFiles(YamlMappingNode service, PlanErrors errors)
    {
        if (service.Section("mail") is not { } mail || !IsOfFiles(mail))
            return null;
        foreach (var key in s_ofMailServers.Where(k => mail.Children.ContainsKey(k)))
            errors.Report(mail[key], $"'{key}' is for servers, and this mail lies in files", "file: such as \"old/{account}/**/*.mbox\"");
        var speaks = Enum.Parse<MailFileFormat>(mail.Text("speaks")!, ignoreCase: true);
        if (speaks is not MailFileFormat.Mbox && mail.Children.ContainsKey("dialect"))
            errors.Report(mail["dialect"], "only mbox has dialects", "speaks: mbox, or no dialect");
        if (speaks is MailFileFormat.Maildir && mail.Children.ContainsKey("unmarked"))
            errors.Report(mail["unmarked"], "a Maildir marks what was read", "no unmarked");
        if (mail.Text("file") is not { } pattern)
        {
            errors.Report(mail, "it is not said in which files the mail is", "file: such as \"old/{account}/**/*.mbox\"");
            return null;
        }
        if (!FileGlob.IsBelow(pattern))
            errors.Report(
                mail["file"],
                $"'{pattern}' does not lie below the service's folder of files",
                "a path from there, such as \"old/{account}/**/*.mbox\""
            );
        else if (!pattern.Contains("{account}", StringComparison.Ordinal))
            errors.Report(
                mail["file"],
                $"'{pattern}' would give the same files to everybody",
                "a path with {account} in it, such as \"old/{account}/**/*.mbox\""
            );
        return new MailFiles(speaks, pattern)
        {
            Dialect = mail.Text("dialect") is { } dialect ? Enum.Parse<MboxDialect>(dialect, ignoreCase: true) : null,
            UnmarkedIsRead = mail.Text("unmarked") == "read",
        };
    }

    private static CollectionConnection? ReadCollections(YamlMappingNode service, string kind, PlanErrors errors)
    {
        if (service.Section(kind) is not { } node)
            return null;
        if (node.Text("speaks") is "csv" or "vcard" or "icalendar")
            return ReadFiles(node, errors);
        foreach (var key in s_ofFiles.Where(k => node.Children.ContainsKey(k)))
            errors.Report(node[key], $"'{key}' is for services that are files", "speaks: csv, vcard or icalendar, or url: alone");
        if (node.Text("url") is not { } text)
        {
            errors.Report(node, $"it is not said where the {kind} are", "url: such as https://dav.lanternpost.example/");
            return null;
        }
        if (!Uri.TryCreate(text, UriKind.Absolute, out var url) || url.Scheme is not ("http" or "https"))
        {
            errors.Report(node["url"], $"'{text}' is not a URL", "a URL such as https://dav.lanternpost.example/");
            return null;
        }
        if (url.Scheme == "http" && node.Text("security") != "none")
            errors.Report(
                node["url"],
                $"over '{text}' passwords go unprotected",
                "a URL that begins with https://, or security: none beside it, if that is what you want"
            );
        return new CollectionConnection.Dav(url);
    }

    private static CollectionConnection.Files? ReadFiles(YamlMappingNode node, PlanErrors errors)
    {
        foreach (var key in s_ofServers.Where(k => node.Children.ContainsKey(k)))
            errors.Report(node[key], $"'{key}' is for servers, and this service is files", "file: such as \"lists/{account}.csv\"");
        if (node.Text("file") is not { } pattern)
        {
            errors.Report(node, "it is not said in which files they are", "file: such as \"lists/{account}.csv\"");
            return null;
        }
        if (!FileGlob.IsBelow(pattern))
            errors.Report(
                node["file"],
                $"'{pattern}' does not lie below the plan's folder",
                "a path from there, such as \"lists/{account}.csv\""
            );
        var columns = System.Collections.Immutable.ImmutableDictionary.CreateBuilder<string, Formats.Csv.ColumnUse>();
        if (node.Section("columns") is { } section)
        {
            if (node.Text("speaks") != "csv")
                errors.Report(section, "only spreadsheets have columns", "speaks: csv, or no columns");
            foreach (var (header, use) in section.Children)
                columns[((YamlScalarNode)header).Value!] = Formats.Csv.ColumnUse.Parse(((YamlScalarNode)use).Value!)!.Value;
        }
        var format = Enum.Parse<ItemFileFormat>(node.Text("speaks")!, ignoreCase: true);
        return new CollectionConnection.Files(format, pattern, columns.ToImmutable());
    }

    private static RulesConnection? ReadRules(YamlMappingNode service)
    {
        if (service.Section("rules") is not { } rules)
            return null;
        var security = rules.Text("security") switch
        {
            "tls" => Security.Tls,
            "none" => Security.None,
            _ => Security.StartTls,
        };
        // RFC 5804 §1.8.
        return new RulesConnection(rules.Text("host")!, rules.Number("port") ?? 4190, security);
    }

    private static FolderNames ReadNames(YamlMappingNode service) =>
        service.Section("folder-names") is { } node
            ? new FolderNames(
                node.Texts("reserved"),
                node.Text("illegal") ?? "",
                node.Number("deepest"),
                node.Number("longest"),
                node.Text("ignore-case") == "true"
            )
            : FolderNames.Any;

    private static ImmutableArray<Help> ReadHelp(YamlMappingNode service) =>
        service.Children.TryGetValue("help", out var list)
            ?
            [
                .. ((YamlSequenceNode)list)
                    .Children.Cast<YamlMappingNode>()
                    .Select(h => new Help(h.Text("says")!, h.Text("remedy")!.TrimEnd('.'))),
            ]
            : [];

    private static Limits ReadLimits(YamlMappingNode service)
    {
        if (!service.Children.TryGetValue("limits", out var node))
            return Limits.Default;
        var limits = (YamlMappingNode)node;
        return new Limits(
            limits.Number("connections") ?? Limits.Default.Connections,
            limits.Number("per-account") ?? Limits.Default.PerAccount,
            limits.Size("largest-message")
        )
        {
            BytesPerDay = limits.Size("bytes-per-day-per-account"),
            MessagesPerSecond = limits.Rate("messages-per-second"),
            BytesPerSecond = limits.Size("bytes-per-second"),
            MessagesPerSecondPerAccount = limits.Rate("messages-per-second-per-account"),
            BytesPerSecondPerAccount = limits.Size("bytes-per-second-per-account"),
            DayStarts = limits.Text("day-starts") is { } starts
                ? NodaTime.Text.LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(starts).Value
                : LocalTime.Midnight,
        };
    }
}
