using System.CommandLine;
using System.Net.Http.Headers;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;
using EasyCaravan.Parcels;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan parcel fetch|send|cover|keep</c>: parcels between this machine and the service, and how long they stay.</summary>
internal static class ParcelTransfer
{
    private const string UsualPlace = "parcels";

    private const int Piece = 16 * 1024 * 1024;

    /// <summary>To read a parcel of a terabyte from end to end.</summary>
    private static readonly TimeSpan s_wholeReading = TimeSpan.FromHours(6);

    public static IEnumerable<Command> Make(CommandHost host)
    {
        var name = new Argument<string>("NAME") { Description = "The parcel's name, as 'caravan parcel list' has it" };
        var file = new Argument<string>("FILE") { Description = "A file of the parcel; its other parts lie beside it" };
        var place = new Option<string>("--place")
        {
            Description = "The folder, below the service's folder of files",
            HelpName = "PLACE",
            DefaultValueFactory = _ => UsualPlace,
        };
        var into = new Option<string>("--to")
        {
            Description = "The folder in which it is written here",
            HelpName = "DIR",
            DefaultValueFactory = _ => ".",
        };
        var sheet = new Option<string?>("--to")
        {
            Description = "The file in which it is written: .html, or .pdf by a browser of this machine. Default: NAME.html",
            HelpName = "FILE",
        };
        var password = new Option<string?>("--password-file")
        {
            Description = "The parcel's password is the first line of this file, or of standard input (-)",
            HelpName = "FILE|-",
        };
        yield return host.Make(
            "fetch",
            "Fetches all files of a parcel; what was broken off goes on where it was",
            "caravan parcel fetch \"aoife.marsh@saltmarsh.example 2026-11-30\" --to handed-over",
            [name, place, into],
            (p, c, w, cancel) => FetchAsync(NameOf(p.GetValue(name)!), p.GetValue(place)!, p.GetValue(into)!, c, w, cancel)
        );
        yield return host.Make(
            "send",
            "Sends all files of a parcel to the service, which checks them; what was broken off goes on where it was",
            "caravan parcel send \"aoife.marsh@saltmarsh.example 2026-11-30.zip\"",
            [file, place, password],
            (p, c, w, cancel) => SendAsync(p.GetValue(file)!, p.GetValue(place)!, p.GetValue(password), host, c, w, cancel)
        );
        var until = ParcelChoice.DayOption("--until", "It is deleted on this day, in UTC; by default when somebody does it");
        yield return host.Make(
            "keep",
            "Sets how long a parcel is kept, whatever was said when it was packed",
            "caravan parcel keep \"aoife.marsh@saltmarsh.example 2026-11-30\" --until 2027-06-30",
            [name, place, until],
            (p, c, w, cancel) => KeepAsync(NameOf(p.GetValue(name)!), p.GetValue(place)!, p.GetValue(until), c, w, cancel)
        );
        yield return host.Make(
            "cover",
            "Writes the cover sheet for a hand-over: what, whose, from when to when, by whom, digests",
            "caravan parcel cover \"aoife.marsh@saltmarsh.example 2026-11-30\" --to cover.pdf",
            [name, place, sheet, password],
            (p, c, w, cancel) =>
                CoverAsync(NameOf(p.GetValue(name)!), p.GetValue(place)!, p.GetValue(sheet), p.GetValue(password), host, c, w, cancel)
        );
    }

    /// <summary>Also of one of its files.</summary>
    private static string NameOf(string given) => ParcelName.Parse(given)?.Name ?? given;

    private static async Task<int> KeepAsync(
        string name,
        string place,
        DateTimeOffset? until,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        await client.PutAsync($"parcels/{Escaped(name)}/keep?place={Escaped(place)}", new ParcelKeepRequest(until), cancel);
        var said = until is { } day ? Words.Time(day) : "somebody deletes it";
        writer.Say($"{Words.Safe(name)} is kept until {said}.");
        return ExitCode.Well;
    }

    private static async Task<int> FetchAsync(
        string name,
        string place,
        string folder,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var parcels = await client.GetAsync<List<ParcelView>>("parcels", cancel);
        var parcel = parcels.Find(p => p.Name == name && p.Place == place)
            ?? throw new CommandException(
                ExitCode.Failed,
                $"There is no parcel {name} in {place}.\nSee what there is with: caravan parcel list"
            );
        if (parcel.Parts == 0)
            throw new CommandException(ExitCode.Failed, $"{name} is not complete yet.\nWait until it is: caravan parcel list");
        Directory.CreateDirectory(folder);
        for (var part = 1; part <= parcel.Parts; part++)
        {
            var file = ParcelName.OfPart(name, part);
            await FetchAsync(client, $"parcels/file?place={Escaped(place)}&part={Escaped(file)}", Path.Combine(folder, file), cancel);
            writer.Say($"{Words.Safe(file)} was fetched.");
        }
        writer.Say($"Check it with: caravan parcel check {Words.Safe($"\"{Path.Combine(folder, ParcelName.OfPart(name, 1))}\"")}");
        return ExitCode.Well;
    }

    private static async Task FetchAsync(CaravanClient client, string path, string file, CancellationToken cancel)
    {
        if (File.Exists(file))
            throw new CommandException(ExitCode.Failed, $"{file} is there already.\nDelete it, or fetch into another folder with --to.");
        var coming = file + ".coming";
        // Under its name only when it is whole.
        // From its last octet on: a range behind the end is none, also where nothing is missing but the name.
        var had = File.Exists(coming) ? Math.Max(0, new FileInfo(coming).Length - 1) : 0;
        await using (var written = new FileStream(coming, FileMode.OpenOrCreate, FileAccess.Write))
        {
            written.Position = had;
            await client.ReadFileAsync(
                path,
                had,
                async (octets, length) =>
                {
                    await octets.CopyToAsync(written, cancel);
                    if (written.Length != length)
                        throw new CommandException(
                            ExitCode.NoService,
                            $"The connection was lost after {Words.Size(written.Length)} of {Words.Size(length)}.\n"
                                + "Ask again: it goes on there."
                        );
                },
                cancel
            );
        }
        File.Move(coming, file);
    }

    private static async Task<int> SendAsync(
        string path,
        string place,
        string? passwordFile,
        CommandHost host,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var password = passwordFile is null ? null : SecretInput.ReadFirstLine(passwordFile, host);
        if (!File.Exists(path) || ParcelName.Parse(Path.GetFileName(path)) is not { Name: var name })
            throw new CommandException(
                ExitCode.WrongUsage,
                $"There is no parcel {path}.\nGive the path of a parcel's file, which ends in .zip."
            );
        var folder = Path.GetDirectoryName(Path.GetFullPath(path))!;
        var arrived = (await client.GetAsync<List<ParcelArrivalView>>($"parcels/arriving?place={Escaped(place)}", cancel)).ToDictionary(
            a => a.File,
            a => a.Octets
        );
        for (var part = 1; File.Exists(Path.Combine(folder, ParcelName.OfPart(name, part))); part++)
        {
            var file = ParcelName.OfPart(name, part);
            await SendAsync(Path.Combine(folder, file), file, place, arrived.GetValueOrDefault(file), client, cancel);
            writer.Say($"{Words.Safe(file)} was sent.");
        }
        var report = await client.PostAsync<ParcelChecked>(
            "parcels/arrived",
            new ParcelArrivedRequest(place, name, password),
            cancel,
            s_wholeReading
        );
        if (writer.Form is OutputForm.Json)
            writer.Json(report);
        if (report.Findings.Count == 0)
        {
            writer.Say($"[green]{Words.Safe(name)} is there, and as it was packed[/]: {Words.Number(report.Items)} items.");
            return ExitCode.Well;
        }
        var first = report.Findings[0];
        await host.Error.WriteLineAsync(
            $"{name} is not as it was packed, and was not taken: "
                + $"{first.File}{(first.Path is null ? "" : $", {first.Path}")}: {first.What}.\n"
                + "Check the file here with 'caravan parcel check'; if it is whole, send it again."
        );
        return ExitCode.Failed;
    }

    private static async Task SendAsync(string path, string file, string place, long at, CaravanClient client, CancellationToken cancel)
    {
        await using var octets = File.OpenRead(path);
        // What has arrived is longer: it was of another file.
        if (at > octets.Length)
        {
            await client.DeleteAsync($"parcels/arriving?place={Escaped(place)}&part={Escaped(file)}", cancel);
            at = 0;
        }
        octets.Position = at;
        var piece = new byte[Piece];
        do
        {
            var read = await octets.ReadAtLeastAsync(piece, piece.Length, throwOnEndOfStream: false, cancel);
            using var content = new ByteArrayContent(piece, 0, read)
            {
                Headers = { ContentType = new MediaTypeHeaderValue("application/octet-stream") },
            };
            var query = $"place={Escaped(place)}&part={Escaped(file)}&at={at}&length={octets.Length}";
            at = (await client.PutAsync<ParcelArrivalView>($"parcels/arriving?{query}", content, cancel)).Octets;
        } while (at < octets.Length);
    }

    private static async Task<int> CoverAsync(
        string name,
        string place,
        string? to,
        string? passwordFile,
        CommandHost host,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var password = passwordFile is null ? null : SecretInput.ReadFirstLine(passwordFile, host);
        var file = to ?? $"{SafeName.Of(name)}.html";
        var page = await client.PostTextAsync("parcels/cover", new ParcelLookRequest(place, name, password), s_wholeReading, cancel);
        if (file.EndsWith(".pdf", StringComparison.OrdinalIgnoreCase))
            await PaperPage.PrintAsync(page, file, cancel);
        else
            await File.WriteAllTextAsync(file, page, cancel);
        writer.Say($"The cover sheet of {Words.Safe(name)} is in {Words.Safe(file)}.");
        return ExitCode.Well;
    }

    private static string Escaped(string text) => Uri.EscapeDataString(text);
}
