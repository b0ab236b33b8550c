using System.Security.Cryptography;

namespace EasyCaravan.Service.Access;

/// <summary>The key by which this installation seals what it proves. Made at its first use, and readable by its owner alone.</summary>
internal sealed class InstallationKey(CaravanOptions options) : IDisposable
{
    private const string File = "installation.pem";

    private readonly Lock _lock = new();
    private ECDsa? _key;

    public ECDsa Get()
    {
        lock (_lock)
            return _key ??= Load(Path.Combine(options.DataFolder, "keys", File));
    }

    private static ECDsa Load(string path)
    {
        var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        if (System.IO.File.Exists(path))
        {
            key.ImportFromPem(System.IO.File.ReadAllText(path));
            return key;
        }
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        using var file = new FileStream(
            path,
            new FileStreamOptions
            {
                Mode = FileMode.CreateNew,
                Access = FileAccess.Write,
                UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
            }
        );
        using var writer = new StreamWriter(file);
        writer.Write(key.ExportPkcs8PrivateKeyPem());
        return key;
    }

    public void Dispose() => _key?.Dispose();
}
