using System.Collections.Immutable;
using System.Globalization;
using NodaTime;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads an entry of <c>routes:</c>.</summary>
internal static class RouteSection
{
    public static Route Read(string name, YamlMappingNode node, ImmutableArray<Service> services, PlanErrors errors)
    {
        var (from, to) = (Side(node, "from", services, errors), Side(node, "to", services, errors));
        CheckPop3(node, from, to, errors);
        foreach (var kind in new[] { Kind.Contacts, Kind.Calendars }.Where(k => to?.CollectionsOf(k) is CollectionConnection.Files))
            errors.Report(
                node["to"],
                $"the {KebabWord.Of(kind)} of '{to!.Name}' are files, which are only read",
                "a service with url: for them"
            );
        CheckMailFiles(node, from, to, errors);
        var under = node.Text("under");
        if (under is not null && (!FolderPath.TryParse(under, out var place) || place!.IsInbox))
            errors.Report(node["under"], $"'{under}' is not a folder", "a folder such as \"Old mail\" or \"Old mail/{name}\"");
        var rules = node.Children.TryGetValue("folders", out var list) ? FolderRulesSection.Read((YamlSequenceNode)list, errors) : [];
        var doubles = node.Text("doubles") == "keep-both" ? Doubles.KeepBoth : Doubles.Pair;
        return new Route(name, node.Text("from")!, node.Text("to")!, rules, ReadMail(node, errors), doubles)
        {
            Carry = ReadCarry(node, from, to, errors),
            Contacts = CollectionRulesSection.Read(node, "contacts", errors),
            Calendars = CollectionRulesSection.Read(node, "calendars", errors),
            Under = under,
            Root = node.Text("root"),
            SharedToAccounts = node.Text("shared-to-accounts") == "true",
            Shaping = ReadShaping(node),
            Labels = node.Text("labels") == "once-with-keyword" ? Labels.OnceWithKeyword : Labels.EachFolder,
            Deletions = node.Text("deletions") == "follow" ? Deletions.Follow : Deletions.Keep,
            QueueOrder = node.Text("turns") == "small-first" ? QueueOrder.SmallFirst : QueueOrder.AsListed,
            OldSide = node.Text("old-side") == "delete-after-proof" ? OldSide.DeleteAfterProof : OldSide.Leave,
            Tolerance = ReadTolerance(node),
        };
    }

    private static LeftBehindTolerance ReadTolerance(YamlMappingNode route)
    {
        if (route.Section("left-behind-tolerance") is not { } node)
            return LeftBehindTolerance.None;
        var share = node.Text("share") is { } text ? double.Parse(text.TrimEnd('%'), CultureInfo.InvariantCulture) / 100 : (double?)null;
        return new LeftBehindTolerance(node.Number("items"), share);
    }

    private static Service? Side(YamlMappingNode node, string side, ImmutableArray<Service> services, PlanErrors errors)
    {
        var name = node.Text(side)!;
        var service = services.FirstOrDefault(s => s.Name == name);
        var names = services.Select(s => s.Name).ToList();
        if (service is null)
            errors.Report(
                node[side],
                $"'{name}' is not a service of this plan{Spelling.Suggest(name, names)}",
                $"one of {string.Join(", ", names)}"
            );
        return service;
    }

    /// <summary>What the route says, in its order; where it says nothing, all that both services have.</summary>
    private static ImmutableArray<Kind> ReadCarry(YamlMappingNode node, Service? from, Service? to, PlanErrors errors)
    {
        if (from is null || to is null)
            return [];
        ImmutableArray<Kind> both = [.. from.Kinds.Intersect(to.Kinds)];
        if (!node.Children.TryGetValue("carry", out var list))
        {
            if (both.IsEmpty)
                errors.Report(
                    node,
                    $"'{from.Name}' and '{to.Name}' have nothing in common that can be carried",
                    "two services that have the same kind, such as mail"
                );
            return both;
        }
        var carry = ImmutableArray.CreateBuilder<Kind>();
        foreach (var item in ((YamlSequenceNode)list).Children)
        {
            var word = ((YamlScalarNode)item).Value!;
            var kind = Enum.Parse<Kind>(word, ignoreCase: true);
            if (carry.Contains(kind))
                errors.Report(item, $"'{word}' is named twice", "each kind once");
            else if (!both.Contains(kind))
                errors.Report(
                    item,
                    $"'{(from.Kinds.Contains(kind) ? to.Name : from.Name)}' has no {word}",
                    $"a connection for {word} in that service, or another list here"
                );
            else
                carry.Add(kind);
        }
        if (((YamlSequenceNode)list).Children.Count == 0)
            errors.Report(list, "nothing is carried", "at least one of contacts, calendars, mail");
        return carry.ToImmutable();
    }

    private static void CheckPop3(YamlMappingNode node, Service? from, Service? to, PlanErrors errors)
    {
        if (to?.Mail?.Speaks is MailProtocol.Pop3)
            errors.Report(node["to"], $"'{to.Name}' speaks POP3, which takes no mail", "a service that speaks imap");
        if (node.Text("old-side") == "delete-after-proof" && from?.Mail?.Speaks is MailProtocol.Imap)
            errors.Report(
                node["old-side"],
                "delete-after-proof is for services that speak POP3",
                "leave; over IMAP the old side is only read"
            );
        if (node.Text("deletions") == "follow" && from?.Mail?.Speaks is MailProtocol.Pop3)
            errors.Report(
                node["deletions"],
                "over POP3 programs delete what they have fetched, which says nothing about what its owner wants",
                "keep"
            );
    }

    private static void CheckMailFiles(YamlMappingNode node, Service? from, Service? to, PlanErrors errors)
    {
        if (to?.MailFiles is not null)
            errors.Report(
                node["to"],
                $"the mail of '{to.Name}' lies in files, which are only read",
                "a service that speaks imap, or one with parcels:"
            );
        if (from?.MailFiles is null)
            return;
        if (node.Text("old-side") == "delete-after-proof")
            errors.Report(node["old-side"], "files are only read", "leave");
        if (node.Text("deletions") == "follow")
            errors.Report(
                node["deletions"],
                "what is missing in a copy that lies in files says nothing about what its owner wants",
                "keep"
            );
    }

    private static MailRules ReadMail(YamlMappingNode route, PlanErrors errors)
    {
        if (route.Section("mail") is not { } mail)
            return new MailRules(null, null);
        return new MailRules(ReadDay(mail, "since", errors), mail.Size("largest"), mail.Text("keywords") == "drop")
        {
            Before = ReadDay(mail, "before", errors),
            Mark = mail.Text("mark"),
        };
    }

    private static LocalDate? ReadDay(YamlMappingNode node, string key, PlanErrors errors)
    {
        if (node.Text(key) is not { } text)
            return null;
        if (NodaTime.Text.LocalDatePattern.Iso.Parse(text) is { Success: true, Value: var day })
            return day;
        errors.Report(node[key], $"'{text}' is not a day of the calendar", "a day such as 2015-01-01");
        return null;
    }

    private static Shaping ReadShaping(YamlMappingNode route)
    {
        if (route.Section("shaping") is not { } node)
            return Shaping.Default;
        var byDefault = Shaping.Default;
        return byDefault with
        {
            ReservedSuffix = node.Text("reserved") ?? byDefault.ReservedSuffix,
            Substitute = node.Text("illegal") ?? byDefault.Substitute,
            Joiner = node.Text("joiner") ?? byDefault.Joiner,
            Clash = node.Text("clash") == "merge" ? ClashWay.Merge : ClashWay.Number,
        };
    }
}
