using System.Diagnostics;

namespace EasyCaravan.Parcels.Tests;

public sealed class PackingTests
{
    [Theory]
    [InlineData(null)]
    [InlineData("salt and pepper")]
    public void What_was_packed_is_found_sound_and_by_other_programs(string? password)
    {
        using var account = new PackedAccount(password);
        account.PackSome();
        var report = ParcelCheck.Run(account.Part(), password, cancel: TestContext.Current.CancellationToken);
        Assert.Empty(report.Findings);
        Assert.Equal(("aoife.marsh@saltmarsh.example", 1, 5), (report.Account, report.Parts, report.Items));
        Assert.Contains("Everything is Ok", Run("7z", "t", $"-p{password}", account.Part()), StringComparison.Ordinal);
        if (password is null)
        {
            Assert.Contains("No errors detected", Run("unzip", "-t", account.Part()), StringComparison.Ordinal);
            Assert.Contains(
                "None",
                Run("python3", "-c", $"import zipfile; z = zipfile.ZipFile('{account.Part()}'); print(z.testzip())"),
                StringComparison.Ordinal
            );
        }
    }

    [Fact]
    public void A_parcel_is_opened_as_it_was_after_an_earlier_run()
    {
        using var account = new PackedAccount();
        account.PackSome();
        var first = account.Time.GetUtcNow();
        account.Time.Advance(TimeSpan.FromDays(1));
        using (var packer = account.Open())
        {
            packer.LoadItems();
            var inbox = packer.State.Folders.Values.Single(f => f.Names[0] == "INBOX");
            packer.Remove(inbox, 1);
            packer.SetFlags(inbox, 2, ["\\Flagged"]);
            PackedAccount.Add(packer, inbox, PackedAccount.Text(9), 9);
            packer.Save();
            Assert.True(packer.CloseRun());
        }
        (uint[] Numbers, string Flags) InboxAt(DateTimeOffset? until)
        {
            using var files = ParcelFiles.Open(account.Folder, PackedAccount.Name, account.Terms.Password, onlyComplete: true, until);
            files.LoadItems();
            var inbox = files.State.Folders.Values.Single(f => f.Names[0] == "INBOX");
            return ([.. inbox.Messages.ToArray().Select(m => m.Number)], string.Join(' ', files.State.FlagsOf(inbox.Find(2)!.Value)));
        }
        foreach (var until in new DateTimeOffset?[] { first, first.AddHours(12), first.AddDays(1), null })
        {
            var isFirst = until < first.AddDays(1);
            var (numbers, flags) = InboxAt(until);
            Assert.Equal(isFirst ? [1u, 2u, 3u] : [2u, 3u, 4u], numbers);
            Assert.Equal(isFirst ? "\\Seen" : "\\Flagged", flags);
        }
    }

    [Fact]
    public void Every_octet_that_changes_is_found()
    {
        using var account = new PackedAccount();
        account.PackSome();
        var octets = File.ReadAllBytes(account.Part());
        var missed = new List<int>();
        for (var i = 0; i < octets.Length; i++)
        {
            var damaged = (byte[])octets.Clone();
            damaged[i] ^= (byte)(1 << (i % 8));
            File.WriteAllBytes(account.Part(), damaged);
            if (ParcelCheck.Run(account.Part(), null, cancel: TestContext.Current.CancellationToken).Findings.IsEmpty)
                missed.Add(i);
        }
        Assert.Empty(missed);
    }

    internal static string Run(string program, params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var output = process.StandardOutput.ReadToEnd() + process.StandardError.ReadToEnd();
        process.WaitForExit();
        return output;
    }
}
