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
