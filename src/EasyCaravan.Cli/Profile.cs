using System.Text.Json;
using System.Text.Json.Serialization;

namespace EasyCaravan.Cli;

/// <summary>Where the service is and with which token, kept for the next command. Readable by its owner alone.</summary>
internal sealed record Profile(string? Service, string? Token)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => Service ?? "";

    private const UnixFileMode Own = UnixFileMode.UserRead | UnixFileMode.UserWrite;

    private static string File =>
        Path.Combine(
            Environment.GetEnvironmentVariable("XDG_CONFIG_HOME") is { Length: > 0 } config
                ? config
                : Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".config"),
            "caravan",
            "profile.json"
        );

    /// <summary>Reads the saved profile. It holds a token, so other users' permissions on the file are removed first.</summary>
    public static Profile Load()
    {
        if (!System.IO.File.Exists(File))
            return new Profile(null, null);
        if ((System.IO.File.GetUnixFileMode(File) & ~Own) != 0)
            System.IO.File.SetUnixFileMode(File, Own);
        try
        {
            return JsonSerializer.Deserialize(System.IO.File.ReadAllText(File), ProfileType.Default.Profile) ?? new Profile(null, null);
        }
        catch (JsonException)
        {
            throw new CommandException(
                ExitCode.Failed,
                $"{File} cannot be understood.\nDelete it with 'caravan profile forget', and save the profile again."
            );
        }
    }

    public string Save()
    {
        Directory.CreateDirectory(Path.GetDirectoryName(File)!);
        // Created anew, so that it does not keep the permissions of an earlier file.
        System.IO.File.Delete(File);
        using var stream = new FileStream(
            File,
            new FileStreamOptions
            {
                Mode = FileMode.CreateNew,
                Access = FileAccess.Write,
                UnixCreateMode = Own,
            }
        );
        JsonSerializer.Serialize(stream, this, ProfileType.Default.Profile);
        return File;
    }

    public static bool Forget()
    {
        var there = System.IO.File.Exists(File);
        System.IO.File.Delete(File);
        return there;
    }
}

/// <summary>How a profile is written, worked out when the client is built.</summary>
[JsonSerializable(typeof(Profile))]
internal sealed partial class ProfileType : JsonSerializerContext;
