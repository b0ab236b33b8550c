using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Surveying;

/// <summary>What a survey's inventory means under the rules in force. Pure, so that a changed rule shows at once what it changes.</summary>
public static class Findings
{
    private const int MostNamed = 3;
    private static readonly TimeSpan s_unused = TimeSpan.FromDays(365);

    public static IReadOnlyList<Finding> Of(Inventory inventory, CarryRules rules, Service from, Service to)
    {
        var found = new List<Finding>();
        found.AddRange(inventory.Faults.Select(ClosedDoor));
        foreach (var service in new[] { from, to })
        {
            if (
                service.Mail?.Security is Security.None
                || service.Contacts?.IsUnprotected is true
                || service.Calendars?.IsUnprotected is true
            )
                found.Add(new Finding(FindingCode.WeakTls, $"the connection to {service.Name} is not protected (security: none)"));
            else if (service.Trust is Trust.Anyone)
                found.Add(new Finding(FindingCode.WeakTls, $"the certificate of {service.Name} is not verified (trust: none)"));
        }
        if (inventory.From is { } there)
            AddAboutFrom(found, there, inventory.TakenAt, from);
        if (inventory.To is { } here)
            AddAboutTo(found, here);
        foreach (var kind in inventory.Kinds)
            AddAboutKind(found, kind, kind.Kind is Kind.Contacts ? rules.Contacts : rules.Calendars);
        if (inventory is { From: { } a, To: { } b } && inventory.MapFor(rules, to.Names) is { } map)
            AddAboutBoth(found, a, b, rules, map);
        return found;
    }

    private static Finding ClosedDoor(Fault fault) =>
        new(
            fault.Cause is Cause.AccountNotFound ? FindingCode.AccountNotFound : FindingCode.CannotGetIn,
            fault.What.Contains(fault.Whom, StringComparison.OrdinalIgnoreCase) ? fault.What : $"{fault.Whom}: {fault.What}",
            Remedy: fault.Remedy
        );

    private static void AddAboutFrom(List<Finding> found, FromInventory from, DateTimeOffset takenAt, Service service)
    {
        if (service.Mail?.Speaks is MailProtocol.Pop3)
            found.Add(new Finding(FindingCode.InboxOnly, $"{service.Name} speaks POP3, which knows neither folders nor flags"));
        foreach (var folder in from.Folders.Where(f => f.Unreadable is not null))
            found.Add(new Finding(FindingCode.UnreadableFolder, $"{folder.Path}: {folder.Unreadable}"));
        var unreadable = from.Folders.Sum(f => f.UnreadableMessages);
        if (unreadable > 0)
            found.Add(
                new Finding(
                    FindingCode.UnreadableMessages,
                    $"{Count(unreadable, "message")} in {Named(from.Folders.Where(f => f.UnreadableMessages > 0).Select(f => f.Path))}",
                    unreadable
                )
            );
        var future = from.Folders.Sum(f => f.Future);
        if (future > 0)
            found.Add(
                new Finding(
                    FindingCode.FutureMail,
                    $"{Count(future, "message")} dated after the survey, in "
                        + $"{Named(from.Folders.Where(f => f.Future > 0).Select(f => f.Path))}",
                    future
                )
            );
        if (from.Messages == 0 && from.Folders.All(f => f.Unreadable is null))
            found.Add(new Finding(FindingCode.NothingThere, "no folder holds a message"));
        else if (from.Folders.Max(f => f.Newest) is { } newest && takenAt - newest > s_unused)
            found.Add(new Finding(FindingCode.Unused, $"the newest message is of {newest:yyyy-MM-dd}"));
        found.AddRange(from.Remarks.Select(r => new Finding(r.Code, r.What, r.Messages)));
        // What lies in files forwards nothing.
        if (service.IsAtRest)
            return;
        if (service.Rules is null)
            found.Add(new Finding(FindingCode.NoForwarding, $"{service.Name} has no connection for rules in the plan"));
        else if (from.Forwards is null)
            found.Add(new Finding(FindingCode.NoForwarding, $"the rules of the account at {service.Name} could not be read"));
        else if (from.Forwards is { Length: > 0 } addresses)
            found.Add(new Finding(FindingCode.AlreadyForwards, $"to {Named(addresses)}"));
        if (from.OwnRules is { } rules)
            found.Add(new Finding(FindingCode.OwnRules, $"they {WordsOf(rules)}"));
    }

    private static string WordsOf(OwnRules rules)
    {
        string[] words =
        [
            .. rules.Files ? ["sort mail into folders"] : Array.Empty<string>(),
            .. rules.Answers ? ["answer or tell somebody by themselves"] : Array.Empty<string>(),
            .. rules.Rejects ? ["send mail back"] : Array.Empty<string>(),
            .. rules.Discards ? ["throw mail away"] : Array.Empty<string>(),
        ];
        return string.Join(", ", words);
    }

    private static void AddAboutKind(List<Finding> found, KindInventory inventory, CollectionRules rules)
    {
        var (thing, place) = inventory.Kind is Kind.Contacts ? ("contact", "address book") : ("event", "calendar");
        var unreadable = inventory.From.Where(c => c.Unreadable > 0).ToList();
        if (unreadable.Count > 0)
            found.Add(
                new Finding(
                    FindingCode.UnreadableItems,
                    $"{Count(unreadable.Sum(c => c.Unreadable), thing)} in {Named(unreadable.Select(c => c.Title))}",
                    unreadable.Sum(c => c.Unreadable)
                )
            );
        var others = inventory.From.Where(c => c.Standing is not CollectionStanding.Own).ToList();
        if (others.Count > 0 && !rules.CarriesShared)
            found.Add(
                new Finding(
                    FindingCode.SharedStay,
                    $"{Count(others.Count, place)}: {Named(others.Select(c => c.Title))}",
                    others.Sum(c => c.Items),
                    others.Sum(c => c.Octets)
                )
            );
        var unclear = inventory.From.Where(c => c.Forecast?.Unclear > 0).ToList();
        if (unclear.Count > 0)
            found.Add(
                new Finding(
                    FindingCode.UnclearDoubles,
                    $"{Count(unclear.Sum(c => c.Forecast!.Unclear), thing)} in {Named(unclear.Select(c => c.Title))}",
                    unclear.Sum(c => c.Forecast!.Unclear)
                )
            );
    }

    private static void AddAboutTo(List<Finding> found, ToInventory to)
    {
        if (to.Messages > 0)
            found.Add(
                new Finding(
                    FindingCode.ToNotEmpty,
                    $"{Count(to.Messages, "message")} in "
                        + $"{Named(to.Folders.Where(f => f.Messages > 0).OrderByDescending(f => f.Messages).Select(f => f.Path))}",
                    to.Messages
                )
            );
    }

    private static void AddAboutBoth(List<Finding> found, FromInventory from, ToInventory to, CarryRules rules, FolderMap map)
    {
        var folders = from.Folders.ToDictionary(f => f.Path);
        foreach (
            var (reason, code) in new[]
            {
                (ShapedFor.Reserved, FindingCode.ReservedName),
                (ShapedFor.Illegal, FindingCode.IllegalName),
                (ShapedFor.TooDeep, FindingCode.TooDeep),
                (ShapedFor.TooLong, FindingCode.LongName),
                (ShapedFor.Clash, FindingCode.NameClash),
            }
        )
        {
            var landings = map.Landings.Where(l => l.Shaped.Contains(reason)).ToList();
            if (landings.Count == 0)
                continue;
            var messages = landings.Sum(l => folders[l.From.Path.ToString()].Messages);
            found.Add(
                new Finding(
                    code,
                    Named(landings.Select(l => l.To is null ? $"'{l.From.Path}' stays behind" : $"'{l.From.Path}' becomes '{l.To}'")),
                    messages
                )
            );
        }
        foreach (var right in to.Lacks.Where(r => map.Landings.Any(l => l.To?.ToString() == r.Folder)))
            found.Add(new Finding(FindingCode.MissingRight, $"'{right.Folder}': {right.What}"));
        var merged = map.Landings.Where(l => l.MergesWith is not null).ToList();
        if (merged.Count > 0)
            found.Add(
                new Finding(FindingCode.MergedFolders, Named(merged.Select(l => $"'{l.From.Path}' with '{l.MergesWith}' in '{l.To}'")))
            );

        var carried = map.Landings.Where(l => l.To is not null).Select(l => folders[l.From.Path.ToString()]).ToList();
        var all = carried.FirstOrDefault(f => f.Use is SpecialUse.All && f.Messages > 0);
        if (all is not null && carried.Count(f => f.Messages > 0) > 1)
            found.Add(
                new Finding(FindingCode.LabelsAsFolders, $"'{all.Path}' holds {Count(all.Messages, "message")}", all.Messages, all.Octets)
            );
        if (to.LargestMessage is { } limit && !(rules.Mail.Largest <= limit))
        {
            var within = carried.Select(f => f.Under(rules.Mail)).ToList();
            var fitting = carried.Select(f => f.Under(rules.Mail with { Largest = limit })).ToList();
            var (messages, octets) = (
                within.Sum(w => w.Messages) - fitting.Sum(f => f.Messages),
                within.Sum(w => w.Octets).Less(fitting.Sum(f => f.Octets))
            );
            if (messages > 0)
                found.Add(new Finding(FindingCode.MessageTooLarge, $"{Count(messages, "message")} over {limit}", messages, octets));
        }
        if (
            to.KeepsKeywords is false
            && !rules.Mail.DropKeywords
            && carried.SelectMany(f => f.Keywords).Distinct(StringComparer.OrdinalIgnoreCase).ToList() is { Count: > 0 } keywords
        )
            found.Add(new Finding(FindingCode.KeywordsLost, Named(keywords)));
        AddRoom(found, from, map, to, rules);
    }

    private static void AddRoom(List<Finding> found, FromInventory from, FolderMap map, ToInventory to, CarryRules rules)
    {
        if (to.Room is not { } room)
            return;
        // Too large ones do not arrive, so they need no room.
        var mail = to.LargestMessage is { } limit && !(rules.Mail.Largest <= limit) ? rules.Mail with { Largest = limit } : rules.Mail;
        var carried = CarryVolumes.Of(from, map, mail).Values;
        var (messages, octets) = (carried.Sum(c => c.Messages), carried.Sum(c => c.Octets));
        if (room.Octets is { } most && octets > most.Less(room.UsedOctets))
            found.Add(new Finding(FindingCode.NoRoom, $"{octets} to carry, {most.Less(room.UsedOctets)} free of {most}", messages, octets));
        else if (room.Messages is { } many && messages > many - room.UsedMessages)
            found.Add(
                new Finding(
                    FindingCode.NoRoom,
                    $"{Count(messages, "message")} to carry, room for {Math.Max(0, many - room.UsedMessages)} of {many}",
                    messages,
                    octets
                )
            );
    }

    private static string Count(long number, string what) => $"{number} {what}{(number == 1 ? "" : "s")}";

    private static string Named(IEnumerable<string> items)
    {
        var list = items.ToList();
        return list.Count <= MostNamed
            ? string.Join(", ", list)
            : $"{string.Join(", ", list.Take(MostNamed))} and {list.Count - MostNamed} more";
    }
}
