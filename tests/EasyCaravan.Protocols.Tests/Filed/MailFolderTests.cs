using System.IO.Compression;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.Files.Mail;

namespace EasyCaravan.Protocols.Tests.Filed;

/// <summary>Which files are whose, in which folders their messages land, and what is told of them.</summary>
public sealed class MailFolderTests : IDisposable
{
    private const string Box = "From x@y Tue Mar  5 09:00:01 2019\nSubject: one\n\nOne.\n\n";

    private static readonly CancellationToken None = CancellationToken.None;

    private readonly FileTree _tree = new();

    public void Dispose() => _tree.Dispose();

    private async Task<Dictionary<string, uint>> FoldersAsync(MailFileFormat speaks, string pattern)
    {
        await using var account = await _tree.OpenAsync(new MailFiles(speaks, pattern), "anna");
        return (await account.ListFoldersAsync(None)).ToDictionary(f => f.Path.ToString(), f => f.Cursor!.Count);
    }

    private static byte[] Zip(params (string Name, string Text)[] files)
    {
        using var octets = new MemoryStream();
        using (var zip = new ZipArchive(octets, ZipArchiveMode.Create, leaveOpen: true))
            foreach (var (name, text) in files)
                using (var entry = zip.CreateEntry(name).Open())
                    entry.Write(Encoding.Latin1.GetBytes(text));
        return octets.ToArray();
    }

    [Fact]
    public async Task Each_mbox_is_a_folder_by_its_place_below_what_the_pattern_leaves_open()
    {
        _tree.Write("old/anna/inbox.mbox", Box);
        _tree.Write("old/anna/Projects/Ramp.mbox", Box + Box);
        _tree.Write("old/anna/Projects/notes.txt", "no mail");
        _tree.Write("old/annabel/inbox.mbox", Box);
        Assert.Equal(
            new Dictionary<string, uint> { ["INBOX"] = 1, ["Projects/Ramp"] = 2 },
            await FoldersAsync(MailFileFormat.Mbox, "old/{account}/**/*.mbox")
        );
        _tree.Write("spool/anna", Box);
        Assert.Equal(new Dictionary<string, uint> { ["INBOX"] = 1 }, await FoldersAsync(MailFileFormat.Mbox, "spool/{account}"));
    }

    [Fact]
    public async Task Files_of_one_message_lie_in_folders_also_in_a_ZIP()
    {
        _tree.Write("exports/anna/2019/a.eml", "Subject: a\n\nA\n");
        _tree.Write("exports/anna/2019/b.eml", "Subject: b\n\nB\n");
        _tree.Write("exports/anna/c.eml", "Subject: c\n\nC\n");
        _tree.Write("exports/anna/more.zip", Zip(("Ramp/d.eml", "Subject: d\n\nD\n"), ("../e.eml", "Subject: e\n\nE\n")));
        Assert.Equal(
            new Dictionary<string, uint> { ["INBOX"] = 1, ["2019"] = 2 },
            await FoldersAsync(MailFileFormat.Eml, "exports/{account}/**/*.eml")
        );
        Assert.Equal(new Dictionary<string, uint> { ["more/Ramp"] = 1 }, await FoldersAsync(MailFileFormat.Eml, "exports/{account}/*.zip"));
    }

    [Fact]
    public async Task A_Maildir_has_folders_beside_and_within_each_other_and_may_be_packed()
    {
        (string Name, string Text)[] files =
        [
            ("Maildir/cur/1551776401.a.mail:2,S", "Subject: a\n\nA\n"),
            ("Maildir/new/1551776402.b.mail", "Subject: b\n\nB\n"),
            ("Maildir/tmp/1551776403.c.mail", "Subject: c\n\nC\n"),
            ("Maildir/.Projects.Ramp/cur/1551776404.d.mail:2,Sab", "Subject: d\n\nD\n"),
            ("Maildir/.Projects.Ramp/dovecot-keywords", "0 Ramp\n1 $Label1\n"),
            ("Maildir/Deep/Within/cur/1551776405.e.mail:2,", "Subject: e\n\nE\n"),
        ];
        foreach (var (name, text) in files)
            _tree.Write($"home/anna/{name}", text, DateTimeOffset.FromUnixTimeSeconds(1551776401));
        _tree.Write("home/anna.zip", Zip(files));
        var expected = new Dictionary<string, uint>
        {
            ["INBOX"] = 2,
            ["Projects/Ramp"] = 1,
            ["Deep/Within"] = 1,
        };
        Assert.Equal(expected, await FoldersAsync(MailFileFormat.Maildir, "home/{account}/Maildir"));
        Assert.Equal(expected, await FoldersAsync(MailFileFormat.Maildir, "home/{account}/**"));
        Assert.Equal(expected, await FoldersAsync(MailFileFormat.Maildir, "home/{account}/*"));
        Assert.Equal(expected, await FoldersAsync(MailFileFormat.Maildir, "home/{account}.zip"));

        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Maildir, "home/{account}/Maildir"), "anna");
        var ramp = FolderPath.Of("Projects", "Ramp");
        var items = await account.ListItemsAsync(ramp, await account.ListNumbersAsync(ramp, None), new Dictionary<uint, Fault>(), None);
        Assert.Equal("$Label1 Ramp \\Seen", items.Single().Flags.Written);
    }

    [Fact]
    public async Task A_copied_Maildir_whose_times_were_lost_takes_dates_from_headers()
    {
        _tree.Write(
            "home/anna/cur/1551776401.a.mail:2,S",
            "Received: by mail; Tue, 5 Mar 2019 09:00:01 +0000\nDate: Mon, 4 Mar 2019 08:00:00 +0000\n\nA\n",
            DateTimeOffset.UtcNow.AddDays(-2)
        );
        _tree.Write("home/anna/cur/1551776402.b.mail:2,S", "Subject: b\n\nB\n", DateTimeOffset.FromUnixTimeSeconds(1500000000));
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Maildir, "home/{account}"), "anna");
        var items = await account.ListItemsAsync(
            FolderPath.Inbox,
            await account.ListNumbersAsync(FolderPath.Inbox, None),
            new Dictionary<uint, Fault>(),
            None
        );
        Assert.Equal([1551776401, 1500000000], items.Select(i => i.Received.ToUnixTimeSeconds()));
        var remark = Assert.Single(account.Remarks);
        Assert.Equal((FindingCode.DatesFromHeader, 1), (remark.Code, remark.Messages));
    }

    [Fact]
    public async Task An_unchanged_account_is_not_read_again_and_a_message_keeps_its_number()
    {
        var files = new MailFiles(MailFileFormat.Mbox, "spool/{account}");
        var time = DateTimeOffset.UtcNow.AddHours(-1);
        _tree.Write("spool/anna", Box + Box, time);
        FolderCursor first;
        await using (var account = await _tree.OpenAsync(files, "anna"))
        {
            first = (await account.ListFoldersAsync(None)).Single().Cursor!;
            Assert.Equal([1u, 2u], await account.ListNumbersAsync(FolderPath.Inbox, None));
        }
        var asked = _tree.Asked;
        // Whoever read it again would find something else under the same length and time.
        _tree.Write("spool/anna", (Box + Box).Replace("Subject: one", "Subject: two", StringComparison.Ordinal), time);
        await using (var account = await _tree.OpenAsync(files, "anna"))
            Assert.True((await account.ListFoldersAsync(None)).Single().Cursor!.IsUnchangedSince(first));
        Assert.Equal(asked, _tree.Asked);

        _tree.Write(
            "spool/anna",
            Box.Replace("Subject: one", "Subject: new", StringComparison.Ordinal) + Box,
            DateTimeOffset.UtcNow.AddHours(-2)
        );
        await using (var account = await _tree.OpenAsync(files, "anna"))
        {
            Assert.False((await account.ListFoldersAsync(None)).Single().Cursor!.IsUnchangedSince(first));
            Assert.Equal([1u, 3u], await account.ListNumbersAsync(FolderPath.Inbox, None));
        }
    }

    [Fact]
    public async Task What_marks_nothing_as_read_is_told_or_arrives_as_read()
    {
        _tree.Write("spool/anna", Box);
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Mbox, "spool/{account}"), "anna");
        Assert.Equal((FindingCode.NothingMarked, 1), account.Remarks.Select(r => (r.Code, r.Messages)).Single());
        await using var read = await _tree.OpenAsync(
            new MailFiles(MailFileFormat.Mbox, "spool/{account}") { UnmarkedIsRead = true },
            "anna"
        );
        Assert.Empty(read.Remarks);
        var items = await read.ListItemsAsync(FolderPath.Inbox, new NumberSet([1]), new Dictionary<uint, Fault>(), None);
        Assert.Equal("\\Seen", items.Single().Flags.Written);
    }

    [Fact]
    public async Task What_cannot_be_read_stops_its_own_folder_only()
    {
        _tree.Write("old/anna/good.mbox", Box);
        _tree.Write("old/anna/bad.mbox", "This is a letter to somebody.\n");
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Mbox, "old/{account}/*.mbox"), "anna");
        var seen = await account.VisitAsync([new(FolderPath.Of("bad"), List: true), new(FolderPath.Of("good"), List: true)], None);
        Assert.Contains("no mbox", seen[0].Refused!.What, StringComparison.Ordinal);
        Assert.Equal(1, seen[1].Numbers!.Count);
        Assert.False((await account.ListFoldersAsync(None)).Single(f => f.Path.ToString() == "bad").Cursor!.Count == 0);
    }

    [Fact]
    public async Task A_damaged_ZIP_is_told_beside_the_good_one()
    {
        _tree.Write("old/anna/good.zip", Zip(("a.eml", "Subject: a\n\nA\n")));
        _tree.Write("old/anna/torn.zip", Zip(("a.eml", "Subject: a\n\nA\n"))[..60]);
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Eml, "old/{account}/*.zip"), "anna");
        var folders = (await account.ListFoldersAsync(None)).Select(f => f.Path).ToList();
        var seen = await account.VisitAsync([.. folders.Select(f => new FolderVisit(f, List: true))], None);
        Assert.Equal(["good", "old/anna/torn.zip"], folders.Select(f => f.ToString()).Order());
        Assert.Single(seen, s => s.Refused is not null);
    }

    [Fact]
    public async Task Nothing_outside_is_read_over_links_and_names()
    {
        var outside = _tree.Write("../outside/secret.mbox", Box);
        Directory.CreateDirectory(Path.Combine(_tree.Folder, "files/old/anna"));
        File.CreateSymbolicLink(Path.Combine(_tree.Folder, "files/old/anna/link.mbox"), outside);
        Directory.CreateSymbolicLink(Path.Combine(_tree.Folder, "files/old/anna/folder"), Path.GetDirectoryName(outside)!);
        // Whoever opened a pipe would wait for good.
        using (var pipe = System.Diagnostics.Process.Start("mkfifo", [Path.Combine(_tree.Folder, "files/old/anna/pipe.mbox")]))
            await pipe.WaitForExitAsync();
        _tree.Write("old/anna/own.mbox", Box);
        Assert.Equal(["own"], (await FoldersAsync(MailFileFormat.Mbox, "old/{account}/**/*.mbox")).Keys);
        foreach (var account in new[] { "../../outside", "*", "..", "anna/../../outside" })
            Assert.Equal(
                Cause.AccountNotFound,
                (
                    await Assert.ThrowsAsync<FaultException>(() =>
                        _tree.OpenAsync(new MailFiles(MailFileFormat.Mbox, "old/{account}/*.mbox"), account)
                    )
                )
                    .Fault
                    .Cause
            );
    }

    [Fact]
    public async Task A_file_that_is_written_while_it_is_read_gives_no_wrong_message()
    {
        _tree.Write("spool/anna", Box + Box.Replace("one", "two", StringComparison.Ordinal));
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Mbox, "spool/{account}"), "anna");
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, await account.ListNumbersAsync(FolderPath.Inbox, None))], None);
        Assert.NotNull(await reader.NextAsync(None));
        _tree.Write("spool/anna", Box.Replace("one", "three", StringComparison.Ordinal) + Box, DateTimeOffset.UtcNow);
        var fault = await Assert.ThrowsAsync<FaultException>(async () => await reader.NextAsync(None));
        Assert.Equal((FaultAction.RetryLater, Verdict.Close), (fault.Fault.Action, fault.Verdict));
    }

    [Fact]
    public async Task A_size_in_a_name_that_is_not_true_is_not_believed()
    {
        const string Message = "Subject: a\n\nMore than one would think.\n";
        _tree.Write(
            $"home/anna/cur/1551776401.a.mail,S={Message.Length},W=20:2,S",
            Message,
            DateTimeOffset.FromUnixTimeSeconds(1551776401)
        );
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Maildir, "home/{account}"), "anna");
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, await account.ListNumbersAsync(FolderPath.Inbox, None))], None);
        Assert.NotNull(await reader.NextAsync(None));
        Assert.Equal(
            Message.Replace("\n", "\r\n", StringComparison.Ordinal),
            Encoding.ASCII.GetString((await reader.ReadAsync(None)).Span)
        );
    }

    [Fact]
    public async Task A_compressed_message_is_read_as_it_was()
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Optimal, leaveOpen: true))
            gzip.Write("Subject: packed\n\nPacked.\n"u8);
        _tree.Write("home/anna/cur/1551776401.a.mail,S=25:2,S", packed.ToArray(), DateTimeOffset.FromUnixTimeSeconds(1551776401));
        await using var account = await _tree.OpenAsync(new MailFiles(MailFileFormat.Maildir, "home/{account}"), "anna");
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, await account.ListNumbersAsync(FolderPath.Inbox, None))], None);
        Assert.NotNull(await reader.NextAsync(None));
        Assert.Equal("Subject: packed\r\n\r\nPacked.\r\n", Encoding.ASCII.GetString((await reader.ReadAsync(None)).Span));
    }
}
