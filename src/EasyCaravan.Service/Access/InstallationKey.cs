using System.Security.Cryptography;
using EasyCaravan.Parcels;

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

    /// <param name="manifest">SHA-256 of the manifest of a parcel's part.</param>
    public byte[] SealParcel(byte[] manifest)
    {
        var key = Get();
        // Parcels are closed side by side, and a key serves one at a time.
        lock (_lock)
            return ParcelSeal.Make(key, manifest);
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
        // Whole under its name, or not at all: killed in between, the next start makes another.
        var unfinished = path + ".new";
        System.IO.File.Delete(unfinished);
        using (
            var file = new FileStream(
                unfinished,
                new FileStreamOptions
                {
                    Mode = FileMode.CreateNew,
                    Access = FileAccess.Write,
                    UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
                }
            )
        )
        {
            file.Write(System.Text.Encoding.ASCII.GetBytes(key.ExportPkcs8PrivateKeyPem()));
            file.Flush(flushToDisk: true);
        }
        System.IO.File.Move(unfinished, path);
        return key;
    }

    public void Dispose() => _key?.Dispose();
}
