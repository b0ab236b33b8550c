using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;
using EasyCaravan.Parcels;
using Spectre.Console;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan parcel</c>: what is done with a file needs no service.</summary>
internal static class ParcelCommands
{
    private const int MostShown = 1000;

    public static Command Make(CommandHost host)
    {
        var command = new Command("parcel", "Accounts packed in files: packs, lists, checks, shows, opens, fetches and sends them")
        {
            PackCommand.Make(host),
            host.Make(
                "list",
                "The parcels in the service's places, and those that are being packed",
                "caravan parcel list",
                [],
                (_, client, writer, cancel) => ListAsync(client, writer, cancel)
            ),
            Check(host),
            Show(host),
            OpenCommand.Make(host),
        };
        foreach (var transfer in ParcelTransfer.Make(host))
            command.Add(transfer);
        return command;
    }

    private static async Task<int> ListAsync(CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var parcels = await client.GetAsync<List<ParcelView>>("parcels", cancel);
        var isTable = writer.Form is OutputForm.Table;
        writer.Rows(
            parcels,
            "There are no parcels. Pack somebody with: caravan parcel pack ACCOUNT",
            [
                new("Parcel", "name", p => Words.Safe(p.Name)),
                new("Account", "account", p => Words.Safe(p.Account)),
                new("From", "service", p => Words.Safe(p.Service)),
                new("Files", "parts", p => $"{p.Parts}", Right: true),
                new("Size", "octets", p => isTable ? Words.Size(p.Octets) : $"{p.Octets}", Right: true),
                new("Packed", "packed_at", p => p.PackedAt is { } at
                        ? isTable
                            ? Words.Time(at)
                            : at.ToString("O")
                        : ""),
                new("State", "state", StateOf),
                new("Errand", "errand", p => Words.Safe(p.Errand)),
                new("Kept until", "keep_until", p => p.KeepUntil is { } until
                        ? isTable
                            ? Words.Time(until)
                            : until.ToString("O")
                        : ""),
                new("Place", "place", p => Words.Safe(p.Place)),
            ]
        );
        return ExitCode.Well;
    }

    private static string StateOf(ParcelView parcel) =>
        parcel.Trouble is { } trouble ? $"[red]! {Words.Safe(trouble)}[/]"
        : parcel.IsUnderWay ? "▸ being packed"
        : parcel.IsEncrypted ? "✓ complete, encrypted"
        : "✓ complete";

    private static Argument<string> FileArgument() => new("FILE") { Description = "A file of the parcel; its other parts lie beside it" };

    private static Option<string?> PasswordOption() =>
        new("--password-file")
        {
            Description = "The parcel's password is the first line of this file, or of standard input (-); else it is asked for",
            HelpName = "FILE|-",
        };

    private static Command Check(CommandHost host)
    {
        var file = FileArgument();
        var password = PasswordOption();
        var key = new Option<string?>("--key")
        {
            Description = "The print of the key that must have sealed it, as it was told when it was packed",
            HelpName = "PRINT",
        };
        var command = new Command("check", "Reads a parcel from end to end: every digest, every count, every octet. Needs no service")
        {
            file,
            password,
            key,
        };
        host.Examples[command] = "caravan parcel check \"aoife.marsh@saltmarsh.example 2026-11-30.zip\"";
        command.SetAction(
            (parsed, cancel) =>
                RunAsync(host, () =>
                    CheckAsync(
                        parsed.GetValue(file)!,
                        parsed.GetValue(password),
                        parsed.GetValue(key),
                        host,
                        host.WriterFor(parsed),
                        cancel
                    )
                )
        );
        return command;
    }

    private static Command Show(CommandHost host)
    {
        var file = FileArgument();
        var password = PasswordOption();
        var folder = new Option<string?>("--folder") { Description = "What is in this folder, address book or calendar" };
        var from = new Option<string?>("--from") { Description = "Messages whose sender has this in it" };
        var subject = new Option<string?>("--subject")
        {
            Description = "Messages whose subject, or contacts and events whose name has this in it",
        };
        var since = ParcelChoice.DayOption("--since", "Messages received on this day or later, in UTC");
        var before = ParcelChoice.DayOption("--before", "Messages received before this day, in UTC");
        var asOf = ParcelChoice.DayOption("--as-of", "The parcel as it was at the end of this day, in UTC");
        var command = new Command("show", "Shows what is in a parcel: folders, or messages that are looked for. Needs no service")
        {
            file,
            password,
            folder,
            from,
            subject,
            since,
            before,
            asOf,
        };
        host.Examples[command] = "caravan parcel show \"aoife.marsh@saltmarsh.example 2026-11-30.zip\" --subject ferry";
        command.SetAction(
            (parsed, cancel) =>
                RunAsync(host, () =>
                    ShowAsync(
                        parsed.GetValue(file)!,
                        parsed.GetValue(password),
                        new ParcelQuery(
                            null,
                            parsed.GetValue(folder),
                            parsed.GetValue(from),
                            parsed.GetValue(subject),
                            parsed.GetValue(since),
                            parsed.GetValue(before)
                        ),
                        parsed.GetValue(asOf)?.AddDays(1),
                        host,
                        host.WriterFor(parsed),
                        cancel
                    )
                )
        );
        return command;
    }

    private static async Task<int> RunAsync(CommandHost host, Func<Task<int>> run)
    {
        try
        {
            return await run();
        }
        catch (ParcelException e)
        {
            await host.Error.WriteLineAsync($"{e.Message}.\n{RemedyFor(e.Cause)}");
            return e.Cause is ParcelCause.Missing ? ExitCode.WrongUsage : ExitCode.Failed;
        }
        catch (CommandException e)
        {
            await host.Error.WriteLineAsync(e.Message);
            return e.Code;
        }
    }

    private static string RemedyFor(ParcelCause cause) =>
        cause switch
        {
            ParcelCause.Missing => "Give the path of a parcel's file.",
            ParcelCause.NoArchive or ParcelCause.Damaged =>
                "Fetch the parcel again from where it was packed; this copy cannot be relied on.",
            ParcelCause.UnsafeName => "Do not unpack this file; ask whoever sent it.",
            ParcelCause.TooMuch => "It may have been made to do harm; ask whoever sent it.",
            ParcelCause.NotSupported => "Pack it anew with AES-256 or without a password.",
            ParcelCause.WrongPassword => "Give the password with which it was packed: --password-file FILE.",
            ParcelCause.NoParcel => "A parcel has a manifest.jsonl in it, and is made by 'caravan parcel pack'.",
        };

    private static async Task<int> CheckAsync(
        string file,
        string? passwordFile,
        string? key,
        CommandHost host,
        Writer writer,
        CancellationToken cancel
    )
    {
        var password = ReadPassword(file, passwordFile, host);
        var report = await Task.Run(() => ParcelCheck.Run(file, password, cancel: cancel), cancel);
        var name = ParcelName.Parse(Path.GetFileName(file))!.Value.Name;
        var view = new ParcelChecked(
            name,
            report.Account,
            report.Parts,
            report.Items,
            report.Octets,
            [.. report.Sums.Select(s => new ParcelKindView(s.Key, s.Value.Items, s.Value.Octets, s.Value.Contents))],
            [.. report.Findings.Select(f => new ParcelFindingView(f.File, f.Path, f.What))],
            report.SealedBy
        );
        if (view.Findings.Count > 0 && writer.Form is not OutputForm.Json)
        {
            writer.Rows(
                view.Findings,
                "",
                [
                    new("File", "file", f => Words.Safe(f.File)),
                    new("Entry", "path", f => Words.Safe(f.Path)),
                    new("What is wrong", "what", f => Words.Safe(f.What)),
                ]
            );
            writer.Say(
                $"[red]{Words.Safe(name)} is not as it was packed.[/] Fetch it again from where it was packed; "
                    + "this copy cannot be relied on."
            );
            return ExitCode.Failed;
        }
        writer.Rows(
            view.Kinds,
            "The parcel is empty.",
            [
                new("Kind", "kind", k => Words.Word(k.Kind)),
                new("Items", "items", k => Number(k.Items, writer), Right: true),
                new("Size", "octets", k => writer.Form is OutputForm.Csv ? $"{k.Octets}" : Words.Size(k.Octets), Right: true),
                new("Contents", "contents", k => k.Contents),
            ],
            view
        );
        if (view.Findings.Count > 0)
            return ExitCode.Failed;
        if (key is not null && key != view.SealedBy)
        {
            host.Error.WriteLine(
                view.SealedBy is null
                    ? $"{name} is whole, but not sealed: anybody may have packed it."
                    : $"{name} is whole, but another key sealed it: {view.SealedBy}. Somebody else may have packed it."
            );
            return ExitCode.Failed;
        }
        writer.Say(
            $"[green]{Words.Safe(name)} is as it was packed[/]: {Words.Safe(view.Account)}, {view.Parts} file(s), "
                + $"{Words.Number(view.Items)} items read, {Words.Size(view.Octets)}"
                + (view.SealedBy is null ? "; not sealed." : $"; sealed by the key {view.SealedBy}.")
        );
        return ExitCode.Well;
    }

    private static async Task<int> ShowAsync(
        string file,
        string? passwordFile,
        ParcelQuery query,
        DateTimeOffset? until,
        CommandHost host,
        Writer writer,
        CancellationToken cancel
    )
    {
        var password = ReadPassword(file, passwordFile, host);
        using var parcel = OpenOf(file, password, until);
        if (query != new ParcelQuery())
            return await Task.Run(() => ShowItems(parcel, query, password, writer), cancel);
        var contents = await Task.Run(() => ParcelLook.ContentsOf(parcel), cancel);
        writer.Rows(
            contents.Folders,
            "The parcel is empty.",
            [
                new("Kind", "kind", f => Words.Word(f.Kind)),
                new("Folder", "folder", f => Words.Safe(f.Name)),
                new("Use", "use", f => Words.Safe(f.Use)),
                new("Items", "items", f => Number(f.Items, writer), Right: true),
                new("Size", "octets", f => writer.Form is OutputForm.Csv ? $"{f.Octets}" : Words.Size(f.Octets), Right: true),
                new("Oldest", "oldest", f => Day(f.Oldest)),
                new("Newest", "newest", f => Day(f.Newest)),
            ],
            contents
        );
        var size = Words.Size(contents.Parts.Sum(p => p.Octets));
        writer.Say(
            $"{Words.Safe(contents.Account)}, packed from {Words.Safe(contents.Service)}, as of {Words.Time(contents.AsOf)}: "
                + $"{contents.Parts.Count} file(s), {size}{(contents.IsEncrypted ? ", encrypted" : "")}."
        );
        foreach (var rule in contents.Rules)
            writer.Say($"Left out or changed: {Words.Safe(rule)}.");
        return ExitCode.Well;
    }

    private static int ShowItems(ParcelFiles parcel, ParcelQuery query, string? password, Writer writer)
    {
        var isTable = writer.Form is OutputForm.Table;
        var found = ParcelLook.Find(parcel, query, password).Take(isTable ? MostShown + 1 : int.MaxValue).ToList();
        writer.Rows(
            [.. isTable ? found.Take(MostShown) : found],
            "Nothing in the parcel fits.",
            [
                new("Folder", "folder", i => Words.Safe(i.Folder)),
                new("Received", "received", i => isTable ? Day(i.Received) : i.Received?.ToString("O", CultureInfo.InvariantCulture) ?? ""),
                new("From", "from", i => Words.Safe(i.From)),
                new("Subject", "subject", i => Words.Safe(i.Subject)),
                new("Size", "octets", i => isTable ? Words.Size(i.Octets) : $"{i.Octets}", Right: true),
                new("File", "file", i => Words.Safe(i.File)),
                new("Entry", "path", i => Words.Safe(i.Path)),
            ]
        );
        if (isTable && found.Count > MostShown)
            writer.Say($"The first {MostShown}; look for less, or have all with --output csv.");
        return ExitCode.Well;
    }

    private static ParcelFiles OpenOf(string file, string? password, DateTimeOffset? until)
    {
        var full = Path.GetFullPath(file);
        if (!File.Exists(full))
            throw new ParcelException(ParcelCause.Missing, $"there is no file {file}");
        var name = ParcelName.Parse(Path.GetFileName(full))?.Name
            ?? throw new ParcelException(ParcelCause.NoParcel, $"{Path.GetFileName(file)} does not end in .zip, as parcels do");
        var parcel = ParcelFiles.Open(Path.GetDirectoryName(full)!, name, password, onlyComplete: true, until);
        if (parcel.Parts.Count > 0)
            return parcel;
        parcel.Dispose();
        throw new ParcelException(
            ParcelCause.Missing,
            until is null ? $"the first part of {name} is missing or not complete" : $"nothing of {name} was packed by then"
        );
    }

    /// <summary>Asked for only where the parcel needs one.</summary>
    private static string? ReadPassword(string file, string? passwordFile, CommandHost host)
    {
        if (passwordFile is not null)
            return SecretInput.ReadFirstLine(passwordFile, host);
        try
        {
            using var part = ParcelPart.Open(Path.GetFullPath(file), null);
            return null;
        }
        catch (ParcelException e) when (e.Cause is ParcelCause.WrongPassword && SecretInput.CanAsk(host))
        {
            return SecretInput.Ask($"Password of {Path.GetFileName(file)}", host);
        }
        catch (ParcelException e) when (e.Cause is not (ParcelCause.WrongPassword or ParcelCause.Missing))
        {
            // What is wrong is found again, and told by the command.
            return null;
        }
    }

    private static string Number(long number, Writer writer) => writer.Form is OutputForm.Csv ? $"{number}" : Words.Number(number);

    private static string Day(DateTimeOffset? time) => time?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? "";
}
