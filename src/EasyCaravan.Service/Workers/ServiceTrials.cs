using System.Diagnostics;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Dav;
using EasyCaravan.Protocols.Files;
using EasyCaravan.Protocols.Files.Mail;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.ManageSieve;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Protocols.Pop3;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Api;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>Tries every connection of a service step by step, and goes on with the next where one fails.</summary>
internal sealed class ServiceTrials(
    ServiceSlots slots,
    AccessTokens tokens,
    IItemNumbers numbers,
    ItemFiles files,
    ParcelPlaces parcels,
    MailFilePlaces mailFiles
)
{
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(60);

    /// <param name="who">Null: only what needs no sign-in.</param>
    /// <param name="writes">The account is on the to side of a move: making and deleting a test folder is tried too.</param>
    public async Task<ServiceTrial> RunAsync(Core.Planning.Service service, Credentials? who, bool writes, CancellationToken cancel)
    {
        var notes = new Notes(service);
        if (service.SignIn is SignIn.OAuth && who is not null)
            await notes.RunAsync("sign-in", ["token"], async note =>
            {
                var token = await tokens.GetAsync(service, who, null, cancel);
                note(
                    new ConnectStep(
                        "token",
                        $"good until {token.Ends:HH:mm:ss zzz}{(token.Scopes is { } scopes ? $", for {string.Join(' ', scopes)}" : "")}"
                    )
                );
            });
        if (service.Parcels is not null)
            await notes.RunAsync("parcels", ["place", "list"], note => TryParcelsAsync(service, who, writes, note, cancel));
        if (service.Mail is not null && notes.Problem is null)
            await notes.RunAsync("mail", ["resolve", "connect", "protect", "sign in", "capabilities", "list", "write"], note =>
                TryMailAsync(service, who, writes, note, cancel)
            );
        if (service.MailFiles is not null)
            await notes.RunAsync("mail", ["files", "list"], note => TryMailFilesAsync(service, who, note, cancel));
        foreach (var (kind, place) in new[] { (Kind.Contacts, service.Contacts), (Kind.Calendars, service.Calendars) })
            if (place is CollectionConnection.Files handed)
                await notes.RunAsync(KebabWord.Of(kind), ["files", "list"], note => TryFilesAsync(handed, kind, who, note, cancel));
            else if (place is CollectionConnection.Dav dav)
                await notes.RunAsync(
                    KebabWord.Of(kind),
                    ["resolve", "connect", "protect", "sign in", "discovery", "homes", "list", "write"],
                    note => TryCollectionsAsync(service, kind, dav, who, writes, note, cancel)
                );
        if (service.Rules is not null)
            await notes.RunAsync("rules", ["resolve", "connect", "protect", "sign in", "list"], note =>
                TryRulesAsync(service, who, note, cancel)
            );
        return new ServiceTrial(service.Name, who?.Account, notes.Problem is null, notes.Steps, notes.Problem);
    }

    private async Task TryMailAsync(
        Core.Planning.Service service,
        Credentials? who,
        bool writes,
        Action<ConnectStep> note,
        CancellationToken cancel
    )
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        if (who is null)
        {
            await using var stream = await (
                service.Mail!.Speaks is MailProtocol.Pop3
                    ? Pop3MailAccount.ConnectAsync(service, note, patience.Token)
                    : ImapConnector.ConnectAsync(service, note, patience.Token)
            );
            return;
        }
        if (service.Mail!.Speaks is MailProtocol.Pop3)
        {
            await using var inbox = await Pop3MailAccount.OpenAsync(
                service,
                who,
                tokens,
                numbers,
                note,
                await slots.AcquireAsync(service, who.Account, patience.Token),
                patience.Token
            );
            note(new ConnectStep("capabilities", inbox.Capabilities));
            note(new ConnectStep("list", $"the inbox, {(await inbox.ListFoldersAsync(patience.Token))[0].Cursor!.Count} messages"));
            return;
        }
        await using var account = await ImapMailAccount.OpenAsync(
            service,
            who,
            tokens,
            note,
            await slots.AcquireAsync(service, who.Account, patience.Token),
            patience.Token
        );
        note(new ConnectStep("capabilities", account.Capabilities));
        var folders = await account.ListFoldersAsync(patience.Token);
        var room = await account.ReadRoomAsync(patience.Token);
        var free = room is { Octets: { } most } ? $", {most.Less(room.UsedOctets)} free of {most}" : "";
        note(new ConnectStep("list", $"{folders.Count} folders, {folders.Sum(f => f.Cursor?.Count ?? 0)} messages{free}"));
        if (writes)
            note(new ConnectStep("write", await account.TryWritingAsync(patience.Token)));
    }

    private async Task TryCollectionsAsync(
        Core.Planning.Service service,
        Kind kind,
        CollectionConnection.Dav place,
        Credentials? who,
        bool writes,
        Action<ConnectStep> note,
        CancellationToken cancel
    )
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        await DavConnector.TryAsync(service, place, note, patience.Token);
        if (who is null)
            return;
        // Looked for anew, although a move may know already where they are.
        await using var account = await DavCollectionAccount.OpenAsync(
            service,
            kind,
            who,
            tokens,
            null,
            null,
            note,
            [await slots.AcquireAsync(service, who.Account, patience.Token)],
            patience.Token
        );
        var collections = await account.ListAsync(patience.Token);
        var own = collections.Count(c => c.Standing is CollectionStanding.Own);
        var word = kind is Kind.Contacts ? "address book(s)" : "calendar(s)";
        note(new ConnectStep("list", $"{own} {word} of the account's own, {collections.Count - own} of others"));
        if (writes)
            note(new ConnectStep("write", await CollectionTrial.WriteAsync(account, patience.Token)));
    }

    private async Task TryFilesAsync(
        CollectionConnection.Files place,
        Kind kind,
        Credentials? who,
        Action<ConnectStep> note,
        CancellationToken cancel
    )
    {
        var account = new FileCollectionAccount(place, kind, files, who?.Account ?? "*");
        var everybody = place.Pattern.Replace("{account}", "*", StringComparison.Ordinal);
        var found = await files.FindAsync(who is null ? everybody : account.Pattern, cancel);
        note(new ConnectStep("files", $"{found.Count} file(s) were handed over that fit {(who is null ? everybody : account.Pattern)}"));
        if (who is null)
            return;
        foreach (var collection in await account.ListAsync(cancel))
        {
            var items = (await account.ReadChangesAsync(collection, null, cancel)).There.Count;
            note(new ConnectStep("list", $"{collection.Title}: {items} {(kind is Kind.Contacts ? "contact(s)" : "event(s) and task(s)")}"));
        }
    }

    private async Task TryParcelsAsync(
        Core.Planning.Service service,
        Credentials? who,
        bool writes,
        Action<ConnectStep> note,
        CancellationToken cancel
    )
    {
        var (folder, room) = parcels.Look(service, writes || who is null);
        note(new ConnectStep("place", $"{folder}, {room.Octets!.Value.Less(room.UsedOctets)} free"));
        // Who is to be packed has no parcel yet, and who is to be unpacked has to have one.
        if (who is null || writes)
            return;
        await using var account = parcels.OpenMail(service, who);
        var folders = await account.ListFoldersAsync(cancel);
        note(new ConnectStep("list", $"a parcel with {folders.Count} folders, {folders.Sum(f => f.Cursor?.Count ?? 0)} messages"));
    }

    private async Task TryMailFilesAsync(
        Core.Planning.Service service,
        Credentials? who,
        Action<ConnectStep> note,
        CancellationToken cancel
    )
    {
        if (who is null)
        {
            var what = service.MailFiles!.Speaks is MailFileFormat.Maildir ? "folder(s)" : "file(s)";
            note(new ConnectStep("files", $"{mailFiles.Look(service)} {what} fit {service.MailFiles.Pattern}"));
            return;
        }
        await using var account = await mailFiles.OpenAsync(service, who, cancel);
        note(new ConnectStep("files", $"files fit {service.MailFiles!.PatternOf(who.Account)}"));
        var folders = await account.ListFoldersAsync(cancel);
        var seen = await account.VisitAsync([.. folders.Select(f => new FolderVisit(f.Path, List: false))], cancel);
        var readable = folders.Where((_, i) => seen[i].Refused is null).ToList();
        note(new ConnectStep("list", $"{readable.Count} folders, {readable.Sum(f => f.Cursor?.Count ?? 0)} messages"));
        foreach (var remark in account.Remarks)
            note(new ConnectStep("list", remark.What));
        if (seen.Select(s => s.Refused).FirstOrDefault(r => r is not null) is { } refused)
            throw new FaultException(refused, Verdict.Keep);
    }

    private async Task TryRulesAsync(Core.Planning.Service service, Credentials? who, Action<ConnectStep> note, CancellationToken cancel)
    {
        if (who is null)
        {
            await ManageSieveAccount.TryConnectingAsync(service, note, cancel);
            return;
        }
        await using var rules = await ManageSieveAccount.OpenAsync(service, who, tokens, note, cancel);
        var forwards = (await new Forwarding(rules, who.Account).LookAsync(cancel)).Facts.Addresses;
        note(new ConnectStep("list", forwards.IsEmpty ? "no rule forwards mail" : $"forwards to {string.Join(", ", forwards)}"));
    }

    private sealed class Notes(Core.Planning.Service service)
    {
        public List<TrialStep> Steps { get; } = [];

        public Problem? Problem { get; private set; }

        /// <param name="names">The steps in their order: the one after the last that was done is the one that failed.</param>
        public async Task RunAsync(string connection, string[] names, Func<Action<ConnectStep>, Task> steps)
        {
            var watch = Stopwatch.StartNew();
            var done = 0;
            void Note(ConnectStep step)
            {
                Steps.Add(new TrialStep(connection, step.Name, true, step.Result, watch.ElapsedMilliseconds, null));
                done = Array.IndexOf(names, step.Name) + 1;
                watch.Restart();
            }
            void Failed(Fault fault)
            {
                Steps.Add(
                    new TrialStep(
                        connection,
                        names[Math.Min(done, names.Length - 1)],
                        false,
                        fault.What,
                        watch.ElapsedMilliseconds,
                        fault.Remedy
                    )
                );
                Problem ??= Problems.Of(fault);
            }
            try
            {
                await steps(Note);
            }
            catch (FaultException e)
            {
                Failed(e.Fault.Advised(service.Help));
            }
            catch (OperationCanceledException)
            {
                Failed(new Fault(Cause.TimedOut, service.Name, $"this took longer than {s_patience.TotalSeconds:0} s"));
            }
        }
    }
}
