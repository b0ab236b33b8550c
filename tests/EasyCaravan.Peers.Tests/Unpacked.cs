namespace EasyCaravan.Peers;

/// <summary>Servers whose packages cannot be installed beside Dovecot's: <c>./test</c> unpacks them to a folder of the build.</summary>
internal static class Unpacked
{
    public static string FolderOf(string server)
    {
        for (var folder = new DirectoryInfo(AppContext.BaseDirectory); folder is not null; folder = folder.Parent)
            if (File.Exists(Path.Combine(folder.FullName, "EasyCaravan.slnx")))
                return Path.Combine(folder.FullName, "artifacts", "peers", server);
        throw new InvalidOperationException("The tests do not run from the repository's artifacts.");
    }
}
