using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan parcel pack</c></summary>
internal static class PackCommand
{
    public static Command Make(CommandHost host)
    {
        var who = new Argument<string[]>("WHO")
        {
            Description = "Accounts as the rosters have them, or one batch",
            Arity = ArgumentArity.OneOrMore,
        };
        var side = new Option<string>("--side")
        {
            Description = "Of a batch: from or to, whose accounts",
            DefaultValueFactory = _ => "from",
        };
        side.AcceptOnlyFromAmong("from", "to");
        var choice = new ParcelChoice();
        var largest = new Option<string?>("--largest") { Description = "Messages above this size are left out, such as 25MB" };
        var password = new Option<string?>("--password-file")
        {
            Description = "Encrypt with the first line of this file, or of standard input (-)",
            HelpName = "FILE|-",
        };
        var encrypt = new Option<bool>("--encrypt") { Description = "Encrypt, and ask for the password" };
        var partSize = new Option<string?>("--part-size") { Description = "Begin another file after this size, such as 2GB" };
        var place = new Option<string?>("--place") { Description = "The folder below the service's folder of files; by default parcels" };
        var keep = ParcelChoice.DayOption("--keep-until", "The parcels are deleted on this day, in UTC; by default when somebody does it");
        var wait = new Option<bool>("--wait") { Description = "Wait until everybody is packed, or needs a person" };
        return host.Make(
            "pack",
            "Packs accounts into files, each into a parcel of its own",
            "caravan parcel pack aoife.marsh@saltmarsh.example --leave Trash --wait",
            [who, side, .. choice.Options, largest, password, encrypt, partSize, place, keep, wait],
            async (parsed, client, writer, cancel) =>
            {
                var given = parsed.GetValue(who)!;
                var batch = await BatchOfAsync(given, client, cancel);
                var request = new PackRequest(
                    Guid.NewGuid().ToString("N"),
                    batch is null ? given : null,
                    batch,
                    batch is null ? null
                        : parsed.GetValue(side) == "to" ? SideWord.To
                        : SideWord.From,
                    parsed.GetValue(choice.Service),
                    choice.KindsOf(parsed),
                    choice.FoldersOf(parsed),
                    choice.LeftOf(parsed),
                    choice.SinceOf(parsed),
                    choice.BeforeOf(parsed),
                    SizeOf(parsed.GetValue(largest), "--largest"),
                    parsed.GetValue(password) is { } file ? SecretInput.ReadFirstLine(file, host)
                        : parsed.GetValue(encrypt) ? SecretInput.Ask("Password of the parcels", host)
                        : null,
                    SizeOf(parsed.GetValue(partSize), "--part-size"),
                    parsed.GetValue(place),
                    parsed.GetValue(keep)
                );
                var errand = await client.PostAsync<ErrandView>("parcels/pack", request, cancel);
                return await EndAsync(errand, parsed.GetValue(wait), client, writer, cancel);
            }
        );
    }

    private static async Task<int> EndAsync(ErrandView errand, bool wait, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        if (!wait)
        {
            if (writer.Form is OutputForm.Json)
                writer.Json(errand);
            writer.Say($"[green]{errand.People} account(s) of {Words.Safe(errand.From)} are being packed[/] as the batch {errand.Name}.");
            writer.Say($"Look on with: caravan watch {errand.Name}. See the files with: caravan parcel list");
            return ExitCode.Well;
        }
        var code = await MoveCommands.WaitAsync(errand.Name, null, client, writer, cancel);
        foreach (
            var parcel in (await client.GetAsync<List<ParcelView>>("parcels", cancel)).Where(p => p.Errand == errand.Name && p.Parts > 0)
        )
            writer.Say($"[green]{Words.Safe(parcel.Account)}[/] is packed: {Words.Safe(parcel.Path)}, {Words.Size(parcel.Octets)}");
        return code;
    }

    /// <summary>A single word is a batch where the plan has one of that name.</summary>
    private static async Task<string?> BatchOfAsync(string[] who, CaravanClient client, CancellationToken cancel) =>
        who is [var one]
        && !one.Contains('@', StringComparison.Ordinal)
        && (await client.GetAsync<List<BatchView>>("batches", cancel)).Any(b => b.Name == one)
            ? one
            : null;

    private static long? SizeOf(string? text, string option)
    {
        if (text is null)
            return null;
        return ByteCount.TryParse(text, out var size) && size > ByteCount.Zero
            ? size.Count
            : throw new CommandException(
                ExitCode.WrongUsage,
                $"{option} takes a size such as 25MB, not '{text}'.\nGive B, kB, MB, GB or TB."
            );
    }
}
