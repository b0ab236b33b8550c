using System.Diagnostics;
using System.Globalization;
using System.Text;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Filed;

/// <summary>
/// Mail that other programs wrote into files goes to a server, and is compared there by a client that shares no code with the product.
/// </summary>
public sealed class MailFilesRoadTests(TwoServers servers)
{
    private const string Roster = "name,from_account,to_account,to_secret\n";

    /// <summary>What the header of all planted messages says, in seconds.</summary>
    private static readonly long SentAt = new DateTimeOffset(2019, 3, 30, 23, 59, 58, TimeSpan.Zero).ToUnixTimeSeconds();

    private string Plan(string mail) =>
        $$"""
            services:
              old:
                mail: {{mail}}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{servers.To.PlainPort}}, security: none}
            routes:
              crossing: {from: old, to: northquay, folders: [{match: "Sent", to: {use: sent} } ] }
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private static string RosterOf(string person) => $"{Roster}{person.Split('@')[0]},{person},{person},{TwoServers.Password}\n";

    private static async Task<Ran> RunAsync(TestService service, params string[] args)
    {
        var ran = await service.RunAsync(args);
        Assert.True(ran.Code == 0, $"{string.Join(' ', args)}: {ran.Code}\n{ran.Out}{ran.Error}{(await service.RunAsync("journal")).Out}");
        return ran;
    }

    /// <summary>Runs another program.</summary>
    /// <param name="asNobody">As somebody without rights, where this is the administrator, for whom it refuses to work.</param>
    private static void Run(string home, string program, string[] args, byte[]? input = null, bool asNobody = false)
    {
        var isOther = asNobody && Environment.UserName == "root";
        using var process = Process.Start(
            new ProcessStartInfo(isOther ? "runuser" : program, isOther ? ["-u", "nobody", "--", program, .. args] : args)
            {
                RedirectStandardInput = true,
                RedirectStandardOutput = true,
                RedirectStandardError = true,
                Environment = { ["TERM"] = "xterm", ["HOME"] = home },
            }
        )!;
        // A terminal's end of input would be a key that is pressed.
        if (input is not null)
        {
            process.StandardInput.BaseStream.Write(input);
            process.StandardInput.Close();
        }
        var said = process.StandardOutput.ReadToEnd() + process.StandardError.ReadToEnd();
        Assert.True(process.WaitForExit(20_000) && process.ExitCode == 0, $"{program}: {said}");
    }

    [Fact]
    public async Task A_Maildir_of_Dovecot_goes_in_with_flags_keywords_dates_and_folder_names()
    {
        var person = servers.NewAccounts(1)[0];
        await using var dovecot = await DovecotServer.StartAsync('/', new DovecotManners { Storage = "maildir" });
        dovecot.SetUser(person, TwoServers.Password);
        // Dots stand between folders in a Maildir: no folder can have one in its name.
        (string From, string To)[] folders = [.. TwoServers.Folders.Where(f => !f.From.Contains('.', StringComparison.Ordinal))];
        using (var imap = await PlainImap.SignInAsync(dovecot.PlainPort, person, TwoServers.Password))
            for (var f = 0; f < folders.Length; f++)
            {
                if (f > 0)
                    await imap.RunAsync($"CREATE \"{folders[f].From}\"");
                await imap.AppendAsync(folders[f].From, [.. Enumerable.Range(f * 9, 9).Select(i => TwoServers.Message(person, i, 1500))]);
            }

        await using var service = await TestService.StartAsync();
        var home = Directory.CreateDirectory(Path.Combine(service.Folder, "files", "home", person)).FullName;
        using (var copy = Process.Start("cp", ["-a", dovecot.MailOf(person), Path.Combine(home, "Maildir")]))
            await copy.WaitForExitAsync();
        await service.ApplyAsync(Plan("{speaks: maildir, file: \"home/{account}/Maildir\"}"), ("crew.csv", RosterOf(person)));
        await RunAsync(service, "survey", "crew", "--wait");
        await RunAsync(service, "start", "crew", "--wait");
        using var here = await PlainImap.SignInAsync(dovecot.PlainPort, person, TwoServers.Password);
        using var there = await servers.AtToAsync(person);
        foreach (var (from, to) in folders)
            Assert.Equal(Described(await here.ReadFolderAsync(from)), Described(await there.ReadFolderAsync(to)));

        // Its owner's programs go on: one message more, one that is read meanwhile.
        await here.RunAsync("SELECT INBOX");
        await here.RunAsync("UID STORE 1 +FLAGS.SILENT (\\Seen Later)");
        await here.AppendAsync("Sent", [TwoServers.Message(person, 900, 1500)]);
        await here.RunAsync("NOOP");
        Directory.Delete(Path.Combine(home, "Maildir"), recursive: true);
        using (var copy = Process.Start("cp", ["-a", dovecot.MailOf(person), Path.Combine(home, "Maildir")]))
            await copy.WaitForExitAsync();
        await RunAsync(service, "catch-up", "crew", "--wait");
        foreach (var (from, to) in folders)
            Assert.Equal(Described(await here.ReadFolderAsync(from)), Described(await there.ReadFolderAsync(to)));
        Assert.Equal(1, (await service.MovesAsync("crew"))[0].Counts.Carried - (9 * folders.Length));

        // A service that knows nothing of the first finds everything there already.
        await using var second = await TestService.StartAsync();
        Directory.CreateDirectory(Path.Combine(second.Folder, "files", "home"));
        Directory.Move(home, Path.Combine(second.Folder, "files", "home", person));
        await second.ApplyAsync(Plan("{speaks: maildir, file: \"home/{account}/**\"}"), ("crew.csv", RosterOf(person)));
        await RunAsync(second, "start", "crew", "--wait");
        var counts = (await second.MovesAsync("crew"))[0].Counts;
        Assert.Equal((0, counts.Found), (counts.Carried, counts.Paired));
    }

    private static List<string> Described(IEnumerable<StoredMessage> messages) =>
        [
            .. messages
                .Select(m => $"{Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(m.Octets))} {m.Flags} {m.Date}")
                .Order(),
        ];

    [Fact]
    public async Task Mboxes_that_two_programs_wrote_go_in_octet_for_octet()
    {
        var person = servers.NewAccounts(1)[0];
        var sent = Enumerable.Range(0, 14).Select(i => TwoServers.Message(person, i, 1500)).ToList();
        sent.Add(
            (
                "\\Seen",
                sent[0].Date,
                Encoding.ASCII.GetBytes(
                    $"From: {person}\r\nMessage-ID: <quoted.{person}>\r\nDate: Sat, 30 Mar 2019 23:59:58 +0000\r\n\r\n"
                        + "From here\r\n>From there\r\n>>From far away\r\n\r\nFrom x@y Sat Jan  3 01:05:34 1996\r\nend\r\n"
                )
            )
        );
        var scratch = Directory.CreateTempSubdirectory("boxes");
        File.SetUnixFileMode(scratch.FullName, (UnixFileMode)0b111_111_111);
        var maildir = MaildirOf(scratch, sent);
        var settings = Path.Combine(scratch.FullName, "settings");
        File.WriteAllText(
            settings,
            $"set folder={scratch.FullName}\nset confirmcreate=no\nset confirmappend=no\nset quit=yes\nset mbox_type=mbox\n"
        );
        var keys = $"<tag-pattern>~A<enter><tag-prefix><copy-message><kill-line>{scratch.FullName}/mutt.mbox<enter><exit>";
        Run(scratch.FullName, "script", ["-qec", $"mutt -n -F {settings} -R -f {maildir} -e 'push \"{keys}\"'", "/dev/null"]);
        DeliverAll(scratch.FullName, Path.Combine(scratch.FullName, "getmail.mbox"), sent.Select(m => LocalOf(m.Octets)));

        await using var service = await TestService.StartAsync();
        var old = Directory.CreateDirectory(Path.Combine(service.Folder, "files", "old", person, "Archive")).FullName;
        foreach (var name in new[] { "mutt.mbox", "getmail.mbox" })
            File.Copy(Path.Combine(scratch.FullName, name), Path.Combine(old, name));
        scratch.Delete(recursive: true);
        await service.ApplyAsync(Plan("{speaks: mbox, file: \"old/{account}/**/*.mbox\"}"), ("crew.csv", RosterOf(person)));
        await RunAsync(service, "survey", "crew", "--wait");
        await RunAsync(service, "start", "crew", "--wait");

        using var there = await servers.AtToAsync(person);
        var mutt = await there.ReadFolderAsync("Archive.mutt");
        Assert.Equal(
            // Without a trace in the header, this program takes the sender's date.
            sent.Select(s => (Encoding.Latin1.GetString(s.Octets), SentAt, MarksOf(s.Flags))).Order(),
            mutt.Select(m => (Encoding.Latin1.GetString(m.Octets), DateOf(m.Date).ToUnixTimeSeconds(), m.Flags)).Order()
        );
        var getmail = await there.ReadFolderAsync("Archive.getmail");
        Assert.Equal(
            sent.Select(s => "Return-Path: <unknown>\r\nDelivered-To: unknown\r\n" + WithLineEnd(Encoding.Latin1.GetString(s.Octets)))
                .Order(),
            getmail.Select(m => Encoding.Latin1.GetString(m.Octets)).Order()
        );
        var findings = (await service.RunAsync("findings", "crew")).Out;
        Assert.Contains("do not tell what was read", findings, StringComparison.Ordinal);
    }

    /// <summary>
    /// Hands all messages to a program that delivers into an mbox. On a busy machine it gives up after a while, and nobody knows whether
    /// the message is there: then all begins anew.
    /// </summary>
    private static void DeliverAll(string home, string box, IEnumerable<string> messages)
    {
        for (var attempt = 1; ; attempt++)
        {
            File.Delete(box);
            File.WriteAllText(box, "");
            File.SetUnixFileMode(box, (UnixFileMode)0b110_110_110);
            try
            {
                foreach (var message in messages)
                    Run(home, "getmail_mbox", [box], Encoding.Latin1.GetBytes(message), asNobody: true);
                return;
            }
            catch (Xunit.Sdk.XunitException) when (attempt < 5)
            {
                // Once more.
            }
        }
    }

    /// <summary>What this program keeps in an mbox: no keywords, and what is to be deleted is not copied as such.</summary>
    private static string MarksOf(string flags) =>
        string.Join(' ', flags.Split(' ').Where(f => f is "\\Seen" or "\\Answered" or "\\Flagged").Order(StringComparer.Ordinal));

    private static string MaildirOf(DirectoryInfo scratch, List<(string Flags, DateTimeOffset Date, byte[] Octets)> sent)
    {
        var maildir = scratch.CreateSubdirectory("maildir");
        foreach (var folder in new[] { "cur", "new", "tmp" })
            File.SetUnixFileMode(maildir.CreateSubdirectory(folder).FullName, (UnixFileMode)0b111_111_111);
        for (var i = 0; i < sent.Count; i++)
        {
            var letters = string.Concat(
                MarksOf(sent[i].Flags).Split(' ').Where(f => f.Length > 0).Select(f => f == "\\Answered" ? 'R' : f[1]).Order()
            );
            var file = Path.Combine(maildir.FullName, "cur", $"{1900000000 + i}.M{i}P1.mail:2,{letters}");
            File.WriteAllBytes(file, Encoding.Latin1.GetBytes(LocalOf(sent[i].Octets)));
            File.SetLastWriteTimeUtc(file, sent[i].Date.UtcDateTime);
            File.SetUnixFileMode(file, (UnixFileMode)0b110_110_110);
        }
        return maildir.FullName;
    }

    private static string LocalOf(byte[] octets) => Encoding.Latin1.GetString(octets).Replace("\r\n", "\n", StringComparison.Ordinal);

    private static string WithLineEnd(string text) => text.EndsWith("\r\n", StringComparison.Ordinal) ? text : text + "\r\n";

    private static DateTimeOffset DateOf(string date) =>
        DateTimeOffset.ParseExact(
            date.Trim('"').Insert(date.Trim('"').Length - 2, ":"),
            ["dd-MMM-yyyy HH:mm:ss zzz", "d-MMM-yyyy HH:mm:ss zzz"],
            CultureInfo.InvariantCulture,
            DateTimeStyles.AllowLeadingWhite
        );
}
