using System.Collections.Immutable;
using EasyCaravan.Core.Notifying;
using MimeKit;
using NodaTime;
using NodaTime.Text;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>notices:</c> of the plan and of a batch.</summary>
internal static class NoticesSection
{
    public static Notices? Read(YamlMappingNode root, PlanErrors errors)
    {
        if (root.Section("notices") is not { } node)
            return null;
        var notices = new Notices
        {
            From = ReadFrom(node, errors),
            ReplyTo = node.Text("reply-to"),
            AMinute = node.Number("a-minute"),
            Sending = SendingSection.Read(node),
            Login = node.Section("sign-in") is { } login ? new SenderLogin(login.Text("login")!, ReadSecret(login, errors)) : null,
            Bounces = ReadBounces(node),
            Trust = TrustSection.Read(node, errors),
            Language = node.Text("language") ?? "en",
            Zone = ReadZone(node, errors),
            Console = node.Text("console") is { } console ? ReadUrl(node["console"], console, errors) : null,
            Templates = ReadTemplates(node, errors),
            Webhooks = [.. Entries(node, "webhooks").Select(w => ReadWebhook(w, errors)).OfType<Webhook>()],
        };
        if (notices.Sending?.Security is Security.None && notices.Login is not null)
            errors.Report(node.Section("sign-in")!, "the secret would go unprotected", "security: tls or starttls, or no sign-in");
        if (node.Section("administrators") is { } administrators)
            notices = notices with
            {
                Administrators = administrators.Texts("to"),
                ToAdministrators = ReadAbout(administrators, [.. NoticeEvents.All.Where(e => !e.IsForPeople())], forPeople: false, errors),
                DigestAt = administrators.Text("digest-at") is { } at
                    ? LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(at).Value
                    : notices.DigestAt,
            };
        if (node.Section("people") is { } people)
            notices = notices with
            {
                ToPeople = ReadAbout(people, [.. NoticeEvents.All.Where(e => e.IsForPeople())], forPeople: true, errors),
                DaysBefore = people.Number("days-before") ?? Notices.UsualDaysBefore,
                Help = people.Text("help"),
            };
        CheckWhole(node, notices, errors);
        return notices;
    }

    public static BatchNotices ReadBatch(YamlMappingNode batch, PlanErrors errors) =>
        batch.Section("notices") is { } node
            ? new BatchNotices(node.Text("people") != "false", node.Text("administrators") != "false", ReadTemplates(node, errors))
            : BatchNotices.AsPlanned;

    private static void CheckWhole(YamlMappingNode node, Notices notices, PlanErrors errors)
    {
        var sends = notices.ToAdministrators.Length > 0 || notices.ToPeople.Length > 0;
        if (sends)
            errors.Require(node, "to send notices it", "from", "sending");
        if (notices.Bounces is not null && notices.Login is null)
            errors.Report(node["bounces"], "nobody can look for bounces without a sign-in", "sign-in: {login: NAME, secret: {file: NAME}}");
        foreach (var name in notices.Webhooks.GroupBy(w => w.Name).Where(g => g.Count() > 1).Select(g => g.Key))
            errors.Report(node["webhooks"], $"two webhooks are called '{name}'", "a name for each");
    }

    private static SecretReference ReadSecret(YamlMappingNode node, PlanErrors errors) =>
        SignInSection.ReadSecret(node, "secret", errors) ?? new SecretReference.File("missing");

    private static string? ReadFrom(YamlMappingNode node, PlanErrors errors)
    {
        if (node.Text("from") is not { } from)
            return null;
        if (!MailboxAddress.TryParse(from, out var address) || !address.Address.Contains('@', StringComparison.Ordinal))
            errors.Report(node["from"], $"'{from}' is no sender", "an address such as \"Moving desk <moving@northquay.example>\"");
        return from;
    }

    private static MailConnection? ReadBounces(YamlMappingNode node)
    {
        if (node.Section("bounces") is not { } bounces)
            return null;
        var security = SendingSection.SecurityOf(bounces);
        return new MailConnection(
            MailProtocol.Imap,
            bounces.Text("host")!,
            bounces.Number("port") ?? (security is Security.Tls ? 993 : 143),
            security
        );
    }

    private static DateTimeZone ReadZone(YamlMappingNode node, PlanErrors errors)
    {
        if (node.Text("zone") is not { } name)
            return DateTimeZone.Utc;
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(name);
        if (zone is null)
            errors.Report(
                node["zone"],
                $"'{name}' is not a time zone{Spelling.Suggest(name, DateTimeZoneProviders.Tzdb.Ids)}",
                "a name of the IANA time zone database such as Europe/Dublin"
            );
        return zone ?? DateTimeZone.Utc;
    }

    private static Uri? ReadUrl(YamlNode at, string text, PlanErrors errors)
    {
        if (Uri.TryCreate(text, UriKind.Absolute, out var url) && url.Scheme is "http" or "https")
            return url;
        errors.Report(at, $"'{text}' is not a URL", "a URL such as https://hooks.saltmarsh.example/caravan");
        return null;
    }

    private static Webhook? ReadWebhook(YamlMappingNode node, PlanErrors errors) =>
        ReadUrl(node["url"], node.Text("url")!, errors) is { } url
            ? new Webhook(
                node.Text("name")!,
                url,
                ReadSecret(node, errors),
                node.Children.ContainsKey("about") ? [.. node.Texts("about").Select(EventOf)] : NoticeEvents.All,
                TrustSection.Read(node, errors)
            )
            : null;

    private static ImmutableArray<NoticeEvent> ReadAbout(
        YamlMappingNode node,
        ImmutableArray<NoticeEvent> all,
        bool forPeople,
        PlanErrors errors
    )
    {
        if (!node.Children.TryGetValue("about", out var list))
            return all;
        foreach (
            var item in ((YamlSequenceNode)list).Children.Cast<YamlScalarNode>().Where(i => EventOf(i.Value!).IsForPeople() != forPeople)
        )
            errors.Report(
                item,
                $"'{item.Value}' is not for {(forPeople ? "the people who move" : "administrators")}",
                string.Join(", ", all.Select(e => KebabWord.Of(e)))
            );
        return [.. node.Texts("about").Select(EventOf).Distinct()];
    }

    public static NoticeEvent EventOf(string word) =>
        Enum.Parse<NoticeEvent>(word.Replace("-", "", StringComparison.Ordinal), ignoreCase: true);

    private static OwnTemplates ReadTemplates(YamlMappingNode node, PlanErrors errors)
    {
        if (!node.Children.TryGetValue("templates", out var list))
            return OwnTemplates.None;
        var texts = ImmutableDictionary.CreateBuilder<string, string>();
        foreach (var item in ((YamlSequenceNode)list).Children.Cast<YamlScalarNode>())
        {
            var file = item.Value!;
            var name = file.Split('/', '\\')[^1];
            if (!LetterTemplates.Names.Contains(name))
                errors.Report(
                    item,
                    $"'{name}' is not the name of a template{Spelling.Suggest(name, LetterTemplates.Names)}",
                    "EVENT.LANGUAGE.txt or .html such as starts.de.txt, or letter.html"
                );
            else if (!errors.Files.TryGetValue(file, out var text))
                errors.Report(item, $"the file '{file}' was not found", "a path relative to the plan file");
            else if (LetterTemplates.ErrorIn(name, text) is { } error)
                errors.Report(
                    item,
                    $"the template '{file}' cannot be used: {error}",
                    "text in the Liquid language; docs/notices.md tells what it knows"
                );
            else
                texts[name] = text;
        }
        return new OwnTemplates(texts.ToImmutable());
    }

    private static IEnumerable<YamlMappingNode> Entries(YamlMappingNode node, string key) =>
        node.Children.TryGetValue(key, out var list) ? ((YamlSequenceNode)list).Children.Cast<YamlMappingNode>() : [];
}
