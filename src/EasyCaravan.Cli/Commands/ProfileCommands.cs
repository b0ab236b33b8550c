using System.CommandLine;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan profile save | show | forget</c></summary>
internal static class ProfileCommands
{
    public static Command Make(Common common)
    {
        var save = new Command("save", "Keeps --service and --token for the next commands");
        common.Examples[save] = "caravan profile save --service http://127.0.0.1:8470 --token \"$(cat data/admin.token)\"";
        save.SetAction(p =>
        {
            var before = Profile.Load();
            var profile = new Profile(p.GetValue(common.Service) ?? before.Service, p.GetValue(common.Token) ?? before.Token);
            if (profile is { Service: null, Token: null })
            {
                common.Error.WriteLine("Give --service, --token or both.");
                return ExitCode.WrongUsage;
            }
            common.Out.WriteLine($"Kept in {profile.Save()}.");
            return ExitCode.Well;
        });
        var show = new Command("show", "Shows where commands go; the token itself is not shown");
        common.Examples[show] = "caravan profile show";
        show.SetAction(_ =>
        {
            var profile = Profile.Load();
            common.Out.WriteLine($"Service: {profile.Service ?? "(none saved)"}\nToken:   {(profile.Token is null ? "(none saved)" : "saved")}");
            return ExitCode.Well;
        });
        var forget = new Command("forget", "Deletes the saved profile");
        common.Examples[forget] = "caravan profile forget";
        forget.SetAction(_ =>
        {
            common.Out.WriteLine(Profile.Forget() ? "Forgotten." : "Nothing was saved.");
            return ExitCode.Well;
        });
        return new Command("profile", "Keeps the service's address and token for the next commands") { save, show, forget };
    }
}
