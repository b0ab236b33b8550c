using System.Buffers.Binary;
using System.IO.Compression;
using System.Text;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels.Tests;

/// <summary>Archives from anybody: each is refused with its cause, and nothing else happens.</summary>
public sealed class HostileArchiveTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("hostile").FullName;

    private string Path => System.IO.Path.Combine(_folder, "a.zip");

    [Fact]
    public void Cut_off_anywhere_a_parcel_is_refused_and_nothing_else_happens()
    {
        using var account = new PackedAccount();
        account.PackSome();
        var octets = File.ReadAllBytes(account.Part());
        for (var length = 0; length < octets.Length; length++)
        {
            File.WriteAllBytes(Path, octets[..length]);
            Assert.Throws<ParcelException>(() => ReadAll(Path));
        }
    }

    [Fact]
    public void Whatever_octets_change_reading_ends_with_a_named_cause_or_well()
    {
        using var account = new PackedAccount();
        account.PackSome();
        var octets = File.ReadAllBytes(account.Part());
        var chance = new Random(20261130);
        var refused = 0;
        for (var i = 0; i < 3000; i++)
        {
            var other = (byte[])octets.Clone();
            for (var n = chance.Next(1, 8); n > 0; n--)
                other[chance.Next(other.Length)] = (byte)chance.Next(256);
            File.WriteAllBytes(Path, other);
            try
            {
                ReadAll(Path);
            }
            catch (ParcelException)
            {
                refused++;
            }
        }
        Assert.True(refused > 500, $"only {refused} were refused");
    }

    [Fact]
    public void An_entry_that_unpacks_to_far_more_than_it_holds_is_refused_before_it_is_unpacked()
    {
        using (var zip = ZipFile.Open(Path, ZipArchiveMode.Create))
        using (var entry = zip.CreateEntry("bomb", CompressionLevel.SmallestSize).Open())
            entry.Write(new byte[50_000_000]);
        Assert.Equal(ParcelCause.TooMuch, CauseOf(() => ReadAll(Path)));
    }

    [Fact]
    public void Entries_that_lie_over_each_other_are_refused()
    {
        Make(("a.txt", new byte[5000]), ("b.txt", new byte[5000]));
        var octets = File.ReadAllBytes(Path);
        // The second entry of the directory is told to be where the first is.
        var second = octets.AsSpan().LastIndexOf("PK\u0001\u0002"u8);
        BinaryPrimitives.WriteUInt32LittleEndian(octets.AsSpan(second + 42), 0);
        "a.txt"u8.CopyTo(octets.AsSpan(second + 46));
        File.WriteAllBytes(Path, octets);
        using var archive = ZipArchiveFile.Open(Path);
        var entries = archive.ReadDirectory().ToList();
        Assert.Equal(2, entries.Count);
        // Many of them would unpack to anything: all together they cannot be larger than the archive.
        var directory = octets.AsSpan(second, octets.AsSpan().LastIndexOf("PK\u0005\u0006"u8) - second).ToArray();
        var end = octets.AsSpan(octets.AsSpan().LastIndexOf("PK\u0005\u0006"u8)).ToArray();
        var begin = octets[..second];
        BinaryPrimitives.WriteUInt16LittleEndian(end.AsSpan(8), 101);
        BinaryPrimitives.WriteUInt16LittleEndian(end.AsSpan(10), 101);
        var first = octets.AsSpan().IndexOf("PK\u0001\u0002"u8);
        BinaryPrimitives.WriteUInt32LittleEndian(end.AsSpan(12), (uint)(second - first + (100 * directory.Length)));
        File.WriteAllBytes(Path, [.. begin, .. Enumerable.Repeat(directory, 100).SelectMany(d => d), .. end]);
        Assert.Equal(ParcelCause.Damaged, CauseOf(() => ReadAll(Path)));
    }

    [Fact]
    public void More_entries_than_are_allowed_are_refused_before_the_first_is_read()
    {
        Make([.. Enumerable.Range(0, 50).Select(i => ($"{i}", Array.Empty<byte>()))]);
        Assert.Equal(ParcelCause.TooMuch, CauseOf(() => ZipArchiveFile.Open(Path, ZipBounds.Usual with { Entries = 49 }).Dispose()));
    }

    [Fact]
    public void A_million_entries_are_read_in_bounded_memory()
    {
        using (var file = File.OpenHandle(Path, FileMode.Create, FileAccess.ReadWrite))
        using (var archive = new ZipAppender(file, 0, null))
        {
            IEnumerable<ZipEntry> Entries()
            {
                for (var i = 0; i < 1_000_000; i++)
                    yield return new ZipEntry($"mail/{i:0000000}", 0, 0, 0, ZipMethod.Stored, 0, 0x210000);
            }
            archive.Begin("x", 50_000_000, DateTimeOffset.UnixEpoch);
            var megabyte = new byte[1_000_000];
            for (var i = 0; i < 50; i++)
                archive.Write(megabyte);
            archive.End();
            archive.Finish(Entries(), "");
        }
        var before = GC.GetTotalMemory(forceFullCollection: true);
        using var read = ZipArchiveFile.Open(Path);
        var places = ZipPlaces.Of(read);
        Assert.InRange(GC.GetTotalMemory(forceFullCollection: true) - before, 0, 40_000_000);
        GC.KeepAlive(places);
    }

    [Theory]
    [InlineData("../outside.eml")]
    [InlineData("/etc/passwd")]
    [InlineData("mail/NUL")]
    public void A_manifest_that_leads_out_of_the_archive_is_refused(string path)
    {
        Make(
            (path, "x"u8.ToArray()),
            (
                "manifest.jsonl",
                Encoding.UTF8.GetBytes(
                    string.Join(
                        '\n',
                        """
                        {"record":"parcel","form":"easy-caravan-parcel/1","parcel":"6f9619ff-8b86-4d01-b42d-00cf4fc964ff","part":1,
                        "packing":1,"complete":true,"account":"a","service":"s","began":"2020-01-01T00:00:00+00:00",
                        "ended":"2020-01-01T00:00:00+00:00","rules":[],"tables":1}
                        """.ReplaceLineEndings(""),
                        """
                        {"record":"folder","id":1,"names":["a"],"place":"mail/a","subscribed":true,"epoch":1,"next":2,"mark":1,"count":1}
                        """,
                        $$"""
                        {"record":"message","folder":1,"number":1,"path":"{{path}}","size":1,"sha256":"{{new string('0', 64)}}",
                        "received":"2020-01-01T00:00:00+00:00","flags":[]}
                        """.ReplaceLineEndings(""),
                        ""
                    )
                )
            )
        );
        Assert.Equal(ParcelCause.Damaged, CauseOf(() => ReadAll(Path)));
    }

    [Fact]
    public void A_link_in_place_of_a_file_is_not_followed()
    {
        using var account = new PackedAccount();
        account.PackSome();
        File.CreateSymbolicLink(Path, account.Part());
        Assert.Equal(ParcelCause.UnsafeName, CauseOf(() => ReadAll(Path)));
    }

    [Fact]
    public void A_wrong_password_is_told_as_such()
    {
        using var account = new PackedAccount("salt and pepper");
        account.PackSome();
        Assert.Equal(ParcelCause.WrongPassword, CauseOf(() => ParcelPart.Open(account.Part(), null).Dispose()));
        Assert.Equal(ParcelCause.WrongPassword, CauseOf(() => ParcelPart.Open(account.Part(), "salt and sugar").Dispose()));
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private void Make(params (string Name, byte[] Octets)[] entries)
    {
        using var zip = ZipFile.Open(Path, ZipArchiveMode.Create);
        foreach (var (name, octets) in entries)
        {
            using var entry = zip.CreateEntry(name, CompressionLevel.NoCompression).Open();
            entry.Write(octets);
        }
    }

    private static ParcelCause? CauseOf(Action action) => Assert.Throws<ParcelException>(action).Cause;

    /// <summary>All that a reader does with a parcel.</summary>
    private static void ReadAll(string path)
    {
        using var files = ParcelFiles.Open(System.IO.Path.GetDirectoryName(path)!, "a", null);
        files.LoadItems();
        var buffer = new byte[4096];
        foreach (var folder in files.State.Folders.Values)
        foreach (var message in folder.Messages.ToArray())
        {
            using var octets = files.OpenItem(message.Part, message.PathHash);
            while (octets.Read(buffer) > 0) { }
        }
    }
}
