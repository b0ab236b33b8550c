namespace EasyCaravan.Parcels.Tests;

/// <summary>What an interrupted run left is gone on with, whatever the disk made of it.</summary>
public sealed class ResumingTests
{
    private const int Messages = 12;

    [Fact]
    public void What_was_saved_is_there_when_the_run_goes_on()
    {
        using var account = new PackedAccount();
        for (var run = 0; run < 3; run++)
        {
            using var packer = account.Open();
            packer.LoadItems();
            var folder = packer.State.Folders.Values.FirstOrDefault() ?? packer.AddFolder(["INBOX"], null, true);
            Assert.Equal((uint)run, folder.Count);
            PackedAccount.Add(packer, folder, PackedAccount.Text(run), run);
            packer.Save();
        }
    }

    [Theory]
    [InlineData(null)]
    [InlineData("salt and pepper")]
    public void Whatever_a_crash_leaves_of_the_files_what_was_safe_is_there_and_the_rest_is_packed_again(string? password)
    {
        using var account = new PackedAccount(password);
        PackHalf(account);
        var before = Directory.GetFiles(account.Folder).ToDictionary(f => f, File.ReadAllBytes);
        var chance = new Random(4711);
        for (var i = 0; i < 150; i++)
        {
            foreach (var (path, octets) in before)
                File.WriteAllBytes(path, Hurt(octets, path, chance));
            using (var packer = account.Open())
            {
                packer.LoadItems();
                var folder = packer.State.Folders.Values.FirstOrDefault() ?? packer.AddFolder(["INBOX"], null, true);
                // What was told to be safe at the last mark that is left; after that the run goes on.
                Assert.True(folder.Count % 3 == 0 && folder.Count <= Messages / 2, $"{folder.Count} messages");
                for (var n = (int)folder.Count; n < Messages; n++)
                    PackedAccount.Add(packer, folder, PackedAccount.Text(n), n);
                packer.CloseRun();
            }
            var report = ParcelCheck.Run(account.Part(), password, cancel: TestContext.Current.CancellationToken);
            Assert.Empty(report.Findings);
            Assert.Equal(Messages, report.Items);
            Assert.Equal([account.Part()], Directory.GetFiles(account.Folder));
            File.Delete(account.Part());
        }
    }

    [Fact]
    public void A_parcel_is_seen_as_it_was_at_any_time()
    {
        using var account = new PackedAccount();
        account.PackSome();
        var first = account.Time.GetUtcNow();
        account.Time.Advance(TimeSpan.FromDays(1));
        using (var packer = account.Open())
        {
            packer.LoadItems();
            var inbox = packer.State.Folders.Values.First(f => f.Names is ["INBOX"]);
            var projects = packer.State.Folders.Values.First(f => f.Names is ["Projects", _]);
            packer.SetFlags(inbox, 1, ["\\Answered"]);
            packer.Move(inbox, 2, projects);
            packer.Remove(inbox, 3);
            packer.RemoveItem(packer.State.Collections.Values.Single(), "a.vcf");
            Assert.True(packer.CloseRun());
            Assert.False(packer.CloseRun());
        }
        Assert.Empty(ParcelCheck.Run(account.Part(2), null, cancel: TestContext.Current.CancellationToken).Findings);
        Assert.Equal((1u, 2u, 0u), CountsOf(account, null));
        Assert.Equal((3u, 1u, 1u), CountsOf(account, first));
        using var files = Open(account, null);
        var found = ParcelLook.Find(files, new ParcelQuery(Subject: "Crossing"), null).ToList();
        Assert.Equal((1, 2), (found.Count(i => i.Folder == "INBOX"), found.Count(i => i.Folder != "INBOX")));
    }

    private static ParcelFiles Open(PackedAccount account, DateTimeOffset? until) =>
        ParcelFiles.Open(account.Folder, PackedAccount.Name, null, onlyComplete: true, until);

    private static (uint Inbox, uint Projects, uint Contacts) CountsOf(PackedAccount account, DateTimeOffset? until)
    {
        using var files = Open(account, until);
        files.LoadItems();
        var folders = files.State.Folders.Values.OrderBy(f => f.Id).ToList();
        return (folders[0].Count, folders[1].Count, files.State.Collections.Values.Single().Count);
    }

    /// <summary>Half of the messages, saved three by three; the run is not closed.</summary>
    private static void PackHalf(PackedAccount account)
    {
        using var packer = account.Open();
        var folder = packer.AddFolder(["INBOX"], null, true);
        packer.Save();
        for (var n = 0; n < Messages / 2; n++)
        {
            PackedAccount.Add(packer, folder, PackedAccount.Text(n), n);
            if (n % 3 == 2)
                packer.Save();
        }
        // Not saved: it may be there or not, and counts for nothing.
        PackedAccount.Add(packer, folder, PackedAccount.Text(99), 99);
    }

    /// <summary>
    /// Cut off anywhere, or with zeros where the disk has not written; the part never before what a mark told to be safe.
    /// </summary>
    private static byte[] Hurt(byte[] octets, string path, Random chance)
    {
        if (path.EndsWith(ParcelPacker.PackingEnding, StringComparison.Ordinal))
            return [.. octets, .. new byte[chance.Next(100)]];
        var length = chance.Next(octets.Length + 1);
        return chance.Next(2) == 0 ? octets[..length] : [.. octets[..length], .. new byte[octets.Length - length]];
    }
}
