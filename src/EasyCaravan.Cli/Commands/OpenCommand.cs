using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan parcel open</c></summary>
internal static class OpenCommand
{
    public static Command Make(CommandHost host)
    {
        var file = new Argument<string>("FILE") { Description = "A parcel of the service's place, by its name or file name" };
        var into = new Option<string>("--into") { Description = "The account, as the rosters have it", Required = true };
        var choice = new ParcelChoice();
        var whose = new Option<string?>("--whose")
        {
            Description = "Whose parcel it is: needed where it goes into another person's account",
        };
        var under = new Option<string?>("--under") { Description = "All mail goes below this folder" };
        var root = new Option<string?>("--root") { Description = "Into another root of the account, such as that of its archive" };
        var asOf = ParcelChoice.DayOption("--as-of", "The parcel as it was at the end of this day, in UTC");
        var place = new Option<string?>("--place") { Description = "The folder below the service's folder of files; by default parcels" };
        var password = new Option<string?>("--password-file")
        {
            Description = "The parcel's password is the first line of this file, or of standard input (-)",
            HelpName = "FILE|-",
        };
        var encrypted = new Option<bool>("--encrypted") { Description = "Ask for the parcel's password" };
        var dryRun = new Option<bool>("--dry-run") { Description = "Only say what would become of it" };
        var wait = new Option<bool>("--wait") { Description = "Wait until all is there, or a person is needed" };
        return host.Make(
            "open",
            "Puts a parcel into an account; what is there already is paired, not doubled",
            "caravan parcel open \"aoife.marsh@saltmarsh.example 2026-11-30\" --into aoife.marsh@saltmarsh.example --at northquay",
            [file, into, .. choice.Options, whose, under, root, asOf, place, password, encrypted, dryRun, wait],
            async (parsed, client, writer, cancel) =>
            {
                var request = new OpenRequest(
                    Guid.NewGuid().ToString("N"),
                    parsed.GetValue(place),
                    Path.GetFileName(parsed.GetValue(file)!),
                    parsed.GetValue(into)!,
                    parsed.GetValue(choice.Service),
                    parsed.GetValue(whose),
                    parsed.GetValue(password) is { } secret ? SecretInput.ReadFirstLine(secret, host)
                        : parsed.GetValue(encrypted) ? SecretInput.Ask("Password of the parcel", host)
                        : null,
                    choice.KindsOf(parsed),
                    choice.FoldersOf(parsed),
                    choice.LeftOf(parsed),
                    choice.SinceOf(parsed),
                    choice.BeforeOf(parsed),
                    parsed.GetValue(under),
                    parsed.GetValue(root),
                    parsed.GetValue(asOf)?.AddDays(1),
                    parsed.GetValue(dryRun)
                );
                var errand = await client.PostAsync<ErrandView>("parcels/open", request, cancel);
                if (request.DryRun)
                    return await TryAsync(errand, client, writer, cancel);
                if (parsed.GetValue(wait))
                    return await MoveCommands.WaitAsync(errand.Name, null, client, writer, cancel);
                if (writer.Form is OutputForm.Json)
                    writer.Json(errand);
                writer.Say($"[green]The parcel goes into {Words.Safe(request.Into)}[/] as the batch {errand.Name}.");
                writer.Say($"Look on with: caravan watch {errand.Name}");
                return ExitCode.Well;
            }
        );
    }

    /// <summary>Looks at both sides without changing anything, says what was found, and takes the errand away.</summary>
    private static async Task<int> TryAsync(ErrandView errand, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        try
        {
            var person = (await SurveyCommands.LookAsync(errand.Name, client, cancel))[0];
            if (writer.Form is OutputForm.Table)
                await SurveyCommands.FindingsAsync(errand.Name, null, null, true, client, writer, cancel);
            return person.Condition is MoveCondition.NeedsYou
                ? ExitCode.NeedsYou
                : await SurveyCommands.FoldersAsync(errand.Name, person.Account, null, client, writer, cancel);
        }
        finally
        {
            await client.DeleteAsync($"errands/{errand.Name}", CancellationToken.None);
        }
    }
}
