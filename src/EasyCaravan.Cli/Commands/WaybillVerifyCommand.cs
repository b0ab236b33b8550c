using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan waybill verify</c>: needs no service.</summary>
internal static class WaybillVerifyCommand
{
    public static Command Make(CommandHost host)
    {
        var file = new Argument<string>("file") { Description = "A waybill written with --sealed" };
        var key = new Option<string?>("--key")
        {
            Description = "The print of the key that must have sealed it, as it was told when it was written",
            HelpName = "PRINT",
        };
        var command = new Command("verify", "Says whether a sealed waybill is as it was when it was written. Needs no service")
        {
            file,
            key,
        };
        host.Examples[command] = "caravan waybill verify deckhands.jsonl";
        command.SetAction(parsed => Run(parsed.GetValue(file)!, parsed.GetValue(key), host, host.WriterFor(parsed)));
        return command;
    }

    private static int Run(string file, string? key, CommandHost host, Writer writer)
    {
        SealCheck check;
        try
        {
            check = WaybillSeal.Check(File.ReadLines(file));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            host.Error.WriteLine($"{file} cannot be read: {e.Message}");
            return ExitCode.WrongUsage;
        }
        if (writer.Form is OutputForm.Json)
            writer.Json(check);
        if (check.Fault is { } fault)
        {
            host.Error.WriteLine($"{file} is not as it was written. Line {check.Line}: {fault}.");
            return ExitCode.Failed;
        }
        if (key is not null && key != check.Key)
        {
            host.Error.WriteLine($"{file} is whole, but another key sealed it: {check.Key}. Somebody else may have written it.");
            return ExitCode.Failed;
        }
        writer.Say($"{Words.Safe(file)} is as it was written: {check.Lines} lines, sealed by the key {check.Key}.");
        return ExitCode.Well;
    }
}
