using System.Text.Json;

namespace EasyCaravan.Cli;

/// <summary>Where the service is and with which token, kept for the next command. Readable by its owner alone.</summary>
internal sealed record Profile(string? Service, string? Token)
{
    private static string File => Path.Combine(
        Environment.GetEnvironmentVariable("XDG_CONFIG_HOME") is { Length: > 0 } config ? config : Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".config"),
        "caravan", "profile.json");

    public static Profile Load() =>
        System.IO.File.Exists(File) ? JsonSerializer.Deserialize<Profile>(System.IO.File.ReadAllText(File))! : new Profile(null, null);

    public string Save()
    {
        Directory.CreateDirectory(Path.GetDirectoryName(File)!);
        var options = new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write, UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite };
        using var stream = new FileStream(File, options);
        JsonSerializer.Serialize(stream, this);
        return File;
    }

    public static bool Forget()
    {
        var there = System.IO.File.Exists(File);
        System.IO.File.Delete(File);
        return there;
    }
}
