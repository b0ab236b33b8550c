using System.Globalization;
using System.IO.Compression;
using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Files.Mail;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests.Filed;

/// <summary>Files of mail below a folder of their own, and numbers for their messages.</summary>
internal sealed class FileTree : IDisposable, IItemNumbers
{
    public const string Account = "aoife.marsh@saltmarsh.example";

    private readonly Dictionary<string, uint> _numbers = [];

    public string Folder { get; } = Directory.CreateTempSubdirectory("mail-files").FullName;

    /// <summary>How often numbers were asked for.</summary>
    public int Asked { get; private set; }

    public static Service ServiceOf(MailFiles files) =>
        new("old", null, new Core.Planning.SignIn.Password(null), new Trust.System(), Limits.Default) { MailFiles = files };

    public Task<IMailAccount> OpenAsync(MailFiles files, string account = Account) =>
        new MailFilePlaces(Path.Combine(Folder, "files"), Path.Combine(Folder, "indexes"), this, TimeProvider.System).OpenAsync(
            ServiceOf(files),
            new Credentials(account, account, ""),
            CancellationToken.None
        );

    /// <param name="time">Null: an hour ago; a file that was written just now is not trusted to be as it was.</param>
    public string Write(string path, byte[] octets, DateTimeOffset? time = null)
    {
        var file = Path.Combine(Folder, "files", path);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        File.WriteAllBytes(file, octets);
        File.SetLastWriteTimeUtc(file, (time ?? DateTimeOffset.UtcNow.AddHours(-1)).UtcDateTime);
        return file;
    }

    public string Write(string path, string text, DateTimeOffset? time = null) => Write(path, Encoding.Latin1.GetBytes(text), time);

    public Task<IReadOnlyList<uint>> NumberAsync(string service, string account, IReadOnlyList<string> names, CancellationToken cancel)
    {
        Asked++;
        foreach (var name in names)
            _numbers.TryAdd(name, (uint)_numbers.Count + 1);
        return Task.FromResult<IReadOnlyList<uint>>([.. names.Select(n => _numbers[n])]);
    }

    public void Dispose() => Directory.Delete(Folder, recursive: true);
}

/// <summary>A Maildir with folders beside each other.</summary>
public sealed class MaildirContractTests : MailReadingContract, IDisposable
{
    private readonly FileTree _tree = new();
    private int _count;

    protected override FolderPath Folder { get; } = FolderPath.Of("Projects", "März");

    protected override Task<IMailAccount> OpenAsync() => _tree.OpenAsync(new MailFiles(MailFileFormat.Maildir, "home/{account}/Maildir"));

    protected override Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        var letters = string.Concat(flags.Split(' ').Where(f => f.Length > 0).Select(f => f[1] == 'A' ? 'R' : f[1]).Order());
        var folder = $"home/{FileTree.Account}/Maildir/.Projects.M&AOQ-rz";
        _tree.Write($"home/{FileTree.Account}/Maildir/cur/.keep", "x");
        _tree.Write($"{folder}/cur/{1900000000 + _count++}.M1P2.mail,S={octets.Length}:2,{letters}", octets, received);
        return Task.CompletedTask;
    }

    public void Dispose() => _tree.Dispose();
}

/// <summary>The mboxrd of a folder, as it is or packed in a ZIP.</summary>
public class MboxContractTests : MailReadingContract, IDisposable
{
    private readonly MemoryStream _box = new();

    private protected FileTree Tree { get; } = new();

    protected override FolderPath Folder { get; } = FolderPath.Of("Projects", "2019");

    protected override Task<IMailAccount> OpenAsync() => Tree.OpenAsync(new MailFiles(MailFileFormat.Mbox, "old/{account}/**/*.mbox"));

    protected override Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        var date = received.UtcDateTime.ToString("ddd MMM d HH:mm:ss yyyy", CultureInfo.InvariantCulture);
        var marks =
            $"Status: {(flags.Contains("Seen", StringComparison.Ordinal) ? "RO" : "O")}\r\nX-Status: "
            + string.Concat(flags.Split(' ').Where(f => f is "\\Answered" or "\\Flagged").Select(f => f[1]))
            + "\r\n";
        _box.Write(Encoding.ASCII.GetBytes($"From x@y {date}\r\n{marks}"));
        _box.Write(octets);
        _box.Write("\r\n"u8);
        Put(_box.ToArray());
        return Task.CompletedTask;
    }

    private protected virtual void Put(byte[] box) => Tree.Write($"old/{FileTree.Account}/Projects/2019.mbox", box);

    public void Dispose()
    {
        GC.SuppressFinalize(this);
        _box.Dispose();
        Tree.Dispose();
    }
}

public sealed class ZippedMboxContractTests : MboxContractTests
{
    protected override Task<IMailAccount> OpenAsync() => Tree.OpenAsync(new MailFiles(MailFileFormat.Mbox, "old/{account}.zip"));

    private protected override void Put(byte[] box)
    {
        using var octets = new MemoryStream();
        using (var zip = new ZipArchive(octets, ZipArchiveMode.Create, leaveOpen: true))
        using (var entry = zip.CreateEntry("Projects/2019.mbox", CompressionLevel.Optimal).Open())
            entry.Write(box);
        Tree.Write($"old/{FileTree.Account}.zip", octets.ToArray());
    }
}
