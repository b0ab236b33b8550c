using System.ComponentModel;
using System.Diagnostics;
using EasyCaravan.Cli.Commands;

namespace EasyCaravan.Cli.Output;

/// <summary>Prints a page to a PDF by a browser of this machine.</summary>
internal static class PaperPage
{
    private static readonly string[] s_browsers = ["chromium", "chromium-browser", "google-chrome", "google-chrome-stable"];

    private static readonly TimeSpan s_longest = TimeSpan.FromMinutes(2);

    /// <exception cref="CommandException">There is no such browser, or it did not print.</exception>
    public static async Task PrintAsync(string html, string file, CancellationToken cancel)
    {
        // A folder of its own: the browser keeps its profile there, and leaves nothing behind.
        var folder = Directory.CreateTempSubdirectory("caravan-page");
        try
        {
            var page = Path.Combine(folder.FullName, "page.html");
            await File.WriteAllTextAsync(page, html, cancel);
            using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancel);
            limit.CancelAfter(s_longest);
            using var browser = Start(page, Path.GetFullPath(file), folder.FullName)
                ?? throw new CommandException(
                    ExitCode.Failed,
                    "Chromium is not installed here, by which the page would be printed. Write it as .html, and print it from any browser."
                );
            var said = browser.StandardError.ReadToEndAsync(limit.Token);
            try
            {
                await browser.WaitForExitAsync(limit.Token);
            }
            catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
            {
                browser.Kill(entireProcessTree: true);
                throw new CommandException(ExitCode.Failed, "Chromium did not print the page within two minutes. Write it as .html.");
            }
            if (browser.ExitCode != 0 || !File.Exists(file))
                throw new CommandException(
                    ExitCode.Failed,
                    $"Chromium could not print the page: {Words.Safe((await said).Trim().Split('\n')[^1])}. Write it as .html."
                );
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    private static Process? Start(string page, string file, string profile)
    {
        string[] arguments =
        [
            "--headless",
            "--disable-gpu",
            "--no-first-run",
            "--disable-background-networking",
            "--no-pdf-header-footer",
            $"--user-data-dir={Path.Combine(profile, "profile")}",
            // Its sandbox does not start for the administrator of the machine; the page is ours and holds no script.
            .. Environment.IsPrivilegedProcess ? ["--no-sandbox"] : Array.Empty<string>(),
            $"--print-to-pdf={file}",
            new Uri(page).AbsoluteUri,
        ];
        foreach (var name in s_browsers)
        {
            try
            {
                return Process.Start(
                    new ProcessStartInfo(name, arguments)
                    {
                        RedirectStandardError = true,
                        RedirectStandardOutput = true,
                        UseShellExecute = false,
                    }
                );
            }
            catch (Win32Exception)
            {
                // Not under this name.
            }
        }
        return null;
    }
}
