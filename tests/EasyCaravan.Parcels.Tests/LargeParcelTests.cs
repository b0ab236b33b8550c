using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels.Tests;

/// <summary>Tests that measure what the whole process uses.</summary>
[CollectionDefinition(Name, DisableParallelization = true)]
public sealed class Measuring
{
    public const string Name = "measuring";
}

/// <summary>Parcels that are larger than the memory.</summary>
[Collection(Measuring.Name)]
public sealed class LargeParcelTests : IDisposable
{
    private const long Piece = 1024 * 1024;

    private readonly string _folder = Directory.CreateTempSubdirectory("large").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    /// <summary>Twenty gigabytes of generated mail: 400,000 small messages and 8 of nearly a gigabyte.</summary>
    [Fact(Explicit = true)]
    public void Twenty_gigabytes_are_packed_checked_and_read_in_flat_memory() => PackCheckAndRead(400_000, 36_000, 8, 800 * Piece);

    /// <summary>The same in small, so that each run of the tests shows that it works.</summary>
    [Fact]
    public void Half_a_gigabyte_is_packed_checked_and_read_in_flat_memory() => PackCheckAndRead(2_000, 36_000, 2, 220 * Piece);

    private void PackCheckAndRead(int small, int smallOctets, int large, long largeOctets)
    {
        var before = Settled();
        var terms = new PackingTerms("aoife@saltmarsh.example", "lanternpost", [], null, null);
        var received = new DateTimeOffset(2026, 1, 1, 0, 0, 0, TimeSpan.Zero);
        var label = new Manifest.MessageWords("Desk", "Tide", "", "");
        var piece = new byte[Piece];
        Encoding.ASCII.GetBytes("Subject: Tide\r\n\r\n").CopyTo(piece, 0);
        long most = 0;
        using (var packer = ParcelPacker.Open(_folder, "large", terms, TimeProvider.System))
        {
            var folder = packer.AddFolder(["INBOX"], null, true);
            void Pack(long octets)
            {
                var number = packer.BeginMessage(folder, octets, received);
                for (var left = octets; left > 0; left -= Math.Min(left, Piece))
                    packer.Write(piece.AsSpan(0, (int)Math.Min(left, Piece)));
                packer.EndMessage(folder, number, received, [], label);
            }
            for (var i = 0; i < small; i++)
            {
                BitConverter.TryWriteBytes(piece.AsSpan(20), i);
                Pack(smallOctets);
                if (i % 1000 == 0)
                    packer.Save();
                if (i % 20_000 == 0)
                    most = Math.Max(most, Settled());
            }
            for (var i = 0; i < large; i++)
            {
                Pack(largeOctets);
                packer.Save();
                most = Math.Max(most, Settled());
            }
            packer.CloseRun();
        }
        var path = Path.Combine(_folder, "large.zip");
        var report = ParcelCheck.Run(path, null);
        Assert.Empty(report.Findings);
        Assert.Equal((small + large, (small * (long)smallOctets) + (large * largeOctets)), (report.Items, report.Octets));
        Assert.Contains("Everything is Ok", PackingTests.Run("7z", "t", path), StringComparison.Ordinal);
        most = Math.Max(most, Settled());
        using (var parcel = ParcelFiles.Open(_folder, "large", null, onlyComplete: true))
        {
            Assert.Equal(small + large, ParcelLook.ContentsOf(parcel).Folders.Single(f => f.Kind is MoveKind.Mail).Items);
            most = Math.Max(most, Settled());
        }
        // What is known of a message stays in memory while its account is packed: some 100 octets.
        var allowed = (32 * Piece) + (small * 200L);
        Assert.True(most - before < allowed, $"{(most - before) / 1_000_000} MB more than at the begin, {allowed / 1_000_000} are allowed");
    }

    [Theory]
    [InlineData(null)]
    [InlineData("salt")]
    public void Behind_four_gigabytes_an_entry_is_as_it_was_packed(string? password)
    {
        var path = Path.Combine(_folder, "far.zip");
        using (var file = File.OpenHandle(path, FileMode.CreateNew, FileAccess.ReadWrite))
        using (var appender = new ZipAppender(file, 5L << 30, password))
        {
            appender.Begin("mail/a.eml", 3, DateTimeOffset.UnixEpoch);
            appender.Write("abc"u8);
            appender.Finish([appender.End()], "");
        }
        using var archive = ZipArchiveFile.Open(path);
        var entry = archive.ReadDirectory().Single();
        var there = new byte[ZipHeaders.LocalLengthOf(entry)];
        archive.Read(entry.At, there, "an entry");
        Assert.Equal(ZipHeaders.Local(entry), there);
        using var octets = new StreamReader(archive.OpenEntry(entry, password));
        Assert.Equal("abc", octets.ReadToEnd());
        Assert.Equal(entry, Assert.Single(archive.ReadLast("mail/a.eml")));
        if (password is null)
            Assert.Contains(
                "None",
                PackingTests.Run("python3", "-c", $"import zipfile; z = zipfile.ZipFile('{path}'); print(z.testzip())"),
                StringComparison.Ordinal
            );
    }

    /// <summary>Octets that are in use.</summary>
    private static long Settled() => GC.GetTotalMemory(forceFullCollection: true);

    /// <summary>A catch-up without changes reads where a part ends and its manifest's first lines, whatever else is in it.</summary>
    [Fact]
    public void To_know_a_parcel_again_takes_its_end_and_the_begin_of_its_manifest()
    {
        var terms = new PackingTerms("aoife@saltmarsh.example", "lanternpost", [], null, null);
        using (var packer = ParcelPacker.Open(_folder, "many", terms, TimeProvider.System))
        {
            var folder = packer.AddFolder(["INBOX"], null, true);
            for (var i = 0; i < 20_000; i++)
            {
                var number = packer.BeginMessage(folder, 1, DateTimeOffset.UnixEpoch);
                packer.Write("x"u8);
                packer.EndMessage(folder, number, DateTimeOffset.UnixEpoch, [], new Manifest.MessageWords("", "", "", ""));
            }
            packer.CloseRun();
        }
        var before = ReadCalls();
        using (var packer = ParcelPacker.Open(_folder, "many", terms, TimeProvider.System))
        {
            Assert.Equal(20_000u, packer.State.Folders.Values.Single().Count);
            Assert.False(packer.CloseRun());
        }
        var octets = ReadCalls() - before;
        Assert.InRange(octets, 1, 600_000);
        Assert.True(new FileInfo(Path.Combine(_folder, "many.zip")).Length > 5_000_000);
    }

    /// <summary>Octets that this process has read so far, as the kernel counts them.</summary>
    private static long ReadCalls() =>
        long.Parse(File.ReadLines("/proc/self/io").First(l => l.StartsWith("rchar", StringComparison.Ordinal)).Split(' ')[1]);
}
