using System.CommandLine;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan profile save | show | forget</c></summary>
internal static class ProfileCommands
{
    public static Command Make(CommandHost host)
    {
        var save = new Command("save", "Keeps --service and the token for the next commands");
        host.Examples[save] = "caravan profile save --service http://127.0.0.1:8470 --token-file data/admin.token";
        save.SetAction(p =>
        {
            Profile before,
                profile;
            try
            {
                before = Profile.Load();
                profile = new Profile(
                    p.GetValue(host.Service) ?? before.Service,
                    p.GetValue(host.Token) ?? host.ReadTokenFile(p.GetValue(host.TokenFile)) ?? before.Token
                );
            }
            catch (CommandException e)
            {
                host.Error.WriteLine(e.Message);
                return e.Code;
            }
            if (profile is { Service: null, Token: null })
            {
                host.Error.WriteLine("Give --service, --token-file or both.");
                return ExitCode.WrongUsage;
            }
            host.Out.WriteLine($"Kept in {profile.Save()}.");
            return ExitCode.Well;
        });
        var show = new Command("show", "Shows where commands go; the token itself is not shown");
        host.Examples[show] = "caravan profile show";
        show.SetAction(_ =>
        {
            var profile = Profile.Load();
            host.Out.WriteLine(
                $"Service: {profile.Service ?? "(none saved)"}\nToken:   {(profile.Token is null ? "(none saved)" : "saved")}"
            );
            return ExitCode.Well;
        });
        var forget = new Command("forget", "Deletes the saved profile");
        host.Examples[forget] = "caravan profile forget";
        forget.SetAction(_ =>
        {
            host.Out.WriteLine(Profile.Forget() ? "Forgotten." : "Nothing was saved.");
            return ExitCode.Well;
        });
        return new Command("profile", "Keeps the service's address and token for the next commands") { save, show, forget };
    }
}
