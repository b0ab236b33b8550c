using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.StandIns;

namespace EasyCaravan.Service.Demo;

/// <summary>
/// The invented company's two services, in this process: mailboxes, address books and calendars from the demo folder's words, the same at
/// every start.
/// </summary>
internal sealed partial class DemoWorld : IAsyncDisposable
{
    private const int MessagesEach = 260;
    private const long NewSideLimit = 300_000;

    private static readonly TimeSpan Years = TimeSpan.FromDays(3 * 365);

    /// <summary>People with a message that the new side will not take, and people whose connection drops on the way.</summary>
    private static readonly string[] s_tooLarge = ["bram.tolland", "imogen.vale", "una.bracken"];
    private static readonly string[] s_dropping = ["dervla.quill", "kerttu.salo"];

    private readonly DemoCollections _collections;
    private readonly Mailboxes _words;
    private readonly Random _chance = new(1843);
    private int _delivered;

    private sealed record FolderShare(string Name, string? Use, int Share);

    private sealed record Mailboxes(FolderShare[] Folders, string[] Subjects, string[] Sentences, string[] Keywords);

    /// <param name="pause">Between two messages that the old side gives out.</param>
    public DemoWorld(string folder, TimeSpan pause)
    {
        _words = JsonSerializer.Deserialize<Mailboxes>(
            File.ReadAllText(Path.Combine(folder, "mailboxes.json")),
            JsonSerializerOptions.Web
        )!;
        From = new StandInImap(new StandInManners('/', PausePerMessage: pause));
        Tokens = new StandInOAuth();
        To = new StandInImap(
            new StandInManners('.', LargestMessage: NewSideLimit)
            {
                Tokens = Tokens,
                Reserved = new HashSet<string> { "Outbox" },
                Deepest = 3,
            }
        );
        FromDav = new StandInDav(new StandInDavManners { Pause = pause / 10 });
        ToDav = new StandInDav(
            new StandInDavManners
            {
                Tokens = Tokens,
                DropsPhotos = true,
                TakesUidOnce = true,
            }
        );
        Rules = new StandInRules(From);
        Smtp = new StandInSmtp { Taking = mail => Arrive(mail.To, mail.Octets) };
        Post = new DemoPost(Smtp);
        _collections = new DemoCollections(folder);
        Files = Directory.GetFiles(folder, "*.csv").ToDictionary(f => Path.GetFileName(f), File.ReadAllText);
        Plan = File.ReadAllText(Path.Combine(folder, "plan.yaml"))
            .Replace("127.0.0.1:10145", $"127.0.0.1:{Tokens.Port}", StringComparison.Ordinal)
            .Replace("127.0.0.1:10146", $"127.0.0.1:{FromDav.Port}", StringComparison.Ordinal)
            .Replace("127.0.0.1:10147", $"127.0.0.1:{ToDav.Port}", StringComparison.Ordinal)
            .Replace("port: 10148", $"port: {Smtp.Port}", StringComparison.Ordinal)
            .Replace("port: 10149", $"port: {Rules.Port}", StringComparison.Ordinal)
            .Replace("port: 10143", $"port: {From.Port}", StringComparison.Ordinal)
            .Replace("port: 10144", $"port: {To.Port}", StringComparison.Ordinal);
        foreach (var (file, text) in Files)
        {
            foreach (var person in Roster.Read(file, text, []))
                Settle(person);
        }
    }

    public StandInImap From { get; }

    public StandInImap To { get; }

    /// <summary>The old side's address books and calendars.</summary>
    public StandInDav FromDav { get; }

    public StandInDav ToDav { get; }

    /// <summary>The old side's mail rules, by which people who cross are forwarded.</summary>
    public StandInRules Rules { get; }

    /// <summary>Over which letters to people go.</summary>
    public StandInSmtp Smtp { get; }

    /// <summary>Shows the letters.</summary>
    public DemoPost Post { get; }

    /// <summary>The new side's authorization server.</summary>
    public StandInOAuth Tokens { get; }

    public string Plan { get; }

    /// <summary>The same without windows and pauses: whoever waits for everybody to arrive need not wait for a night.</summary>
    public string PlanAtAllHours => HoursLine().Replace(Plan, "");

    [GeneratedRegex("^      (windows:.*|pauses:|  - .*)\n", RegexOptions.Multiline)]
    private static partial Regex HoursLine();

    public IReadOnlyDictionary<string, string> Files { get; }

    /// <summary>Somebody writes to somebody, as happens while people move.</summary>
    public void Deliver(string account)
    {
        if (From.Find(account) is not { } box)
            return;
        Arrive(account, Compose(account, ++_delivered + 1_000_000, 900));
        lock (box.Lock)
        {
            var inbox = box.Find("INBOX")!;
            if (inbox.Messages.Count == 0)
                return;
            var read = inbox.Messages[_chance.Next(inbox.Messages.Count)];
            inbox.SetFlags(read, [.. read.Flags.Union(["\\Seen"])]);
        }
    }

    /// <summary>
    /// Mail comes: to the old mailbox, and on to the new one where a rule forwards it. The company keeps its addresses, so that the new
    /// side takes mail under addresses of its own meanwhile.
    /// </summary>
    private void Arrive(string address, byte[] octets)
    {
        const string Old = "@saltmarsh.example",
            New = "@northquay.example";
        if (address.EndsWith(New, StringComparison.OrdinalIgnoreCase))
            Add(To.Find(address[..^New.Length] + Old), octets);
        else if (From.Find(address) is { } box)
        {
            var (to, keeps) = Rules.WayOf(address);
            if (keeps)
                Add(box, octets);
            foreach (var next in to)
                Arrive(next, [.. "Received: from quay.lanternpost.example by mx.northquay.example\r\n"u8, .. octets]);
        }
    }

    private static void Add(StandInAccount? box, byte[] octets)
    {
        if (box is null)
            return;
        lock (box.Lock)
            box.Find("INBOX")!.Add(octets, [], DateTimeOffset.UtcNow);
    }

    /// <summary>
    /// Somebody tidies up on the new side before the move is over, and a program of theirs stores a message a second time.
    /// </summary>
    /// <returns>False while there is too little to tidy up.</returns>
    public bool Meddle(string account)
    {
        const int Enough = 30;
        if (To.Find(account) is not { } box)
            return false;
        lock (box.Lock)
        {
            var inbox = box.Find("INBOX")!;
            if (inbox.Messages.Count < Enough)
                return false;
            foreach (var message in inbox.Messages.Skip(3).Take(2).ToList())
                inbox.Remove(message);
            inbox.Add(inbox.Messages[7].Octets, ["\\Seen"], inbox.Messages[7].Received);
            return true;
        }
    }

    public async ValueTask DisposeAsync()
    {
        await From.DisposeAsync();
        await To.DisposeAsync();
        await FromDav.DisposeAsync();
        await ToDav.DisposeAsync();
        await Tokens.DisposeAsync();
        await Post.DisposeAsync();
        await Smtp.DisposeAsync();
        await Rules.DisposeAsync();
    }

    /// <summary>Puts the client's secret where the plan refers to.</summary>
    public void PlaceSecrets(string dataFolder)
    {
        var folder = Directory.CreateDirectory(Path.Combine(dataFolder, "secrets"));
        File.WriteAllText(Path.Combine(folder.FullName, "northquay-client"), Tokens.ClientSecret);
    }

    private void Settle(RosterPerson person)
    {
        var local = person.FromAccount.Split('@')[0];
        // The forgotten password is the roster's, not the account's.
        var box = From.AddAccount(
            person.FromLogin,
            person.FromSecret == "lantern-forgotten" ? "lantern-changed-in-may" : person.FromSecret!
        );
        var there = To.AddAccount(person.ToLogin, "");
        _collections.Settle(person.FromAccount, FromDav.AddAccount(person.FromLogin, box.Password), ToDav.AddAccount(person.ToLogin, ""));
        there.Make("Sent Items", "\\Sent");
        there.Make("Deleted Items", "\\Trash");
        var amount = MessagesEach / 2 + _chance.Next(MessagesEach);
        // Three years of mail that end about now.
        var step = Years.TotalMinutes / amount;
        var received = DateTimeOffset.UtcNow - Years;
        foreach (var share in _words.Folders)
        {
            var raw = string.Join('/', share.Name.Split('/').Select(ModifiedUtf7.Encode));
            var folder = box.Find(raw) ?? box.Make(raw, share.Use);
            for (var i = 0; i < amount * share.Share / 100; i++)
            {
                received = received.AddMinutes(step * (0.6 + (_chance.NextDouble() * 0.7)));
                folder.Add(
                    Compose(person.FromAccount, ++_delivered, 400 + _chance.Next(6000)),
                    Flags(share),
                    received.ToOffset(TimeSpan.FromHours(received.Month is > 3 and < 11 ? 1 : 0))
                );
            }
        }
        if (s_tooLarge.Contains(local))
            box.Find("INBOX")!
                .Add(Compose(person.FromAccount, ++_delivered, 420_000, "Survey drawings, all decks"), ["\\Flagged"], received);
        if (s_dropping.Contains(local))
            box.DropAfter = 60;
        Plant(local, person.FromAccount, box, there);
    }

    /// <summary>What a survey is to find before it bites.</summary>
    private void Plant(string local, string account, StandInAccount box, StandInAccount there)
    {
        switch (local)
        {
            case "ailbhe.corran":
                box.Door = StandInDoor.AppPasswordOnly;
                break;
            case "brendan.sloe":
                box.Door = StandInDoor.ProtocolOff;
                break;
            case "ciara.tarn":
                there.Quota = 100_000;
                break;
            case "dara.whin":
                foreach (var folder in box.Folders)
                    folder.Messages.RemoveAll(m => m.Received > DateTimeOffset.UtcNow.AddMonths(-14));
                break;
            case "edda.lorn":
                for (var i = 0; i < 12; i++)
                    there.Find("INBOX")!.Add(box.Find("INBOX")!.Messages[i].Octets, ["\\Seen"], box.Find("INBOX")!.Messages[i].Received);
                break;
            case "siobhan.weir":
                box.Make("Outbox").Add(Compose(account, ++_delivered, 900), [], new DateTimeOffset(2026, 2, 3, 8, 0, 0, TimeSpan.Zero));
                box.Make("Engines/Port/Overhaul/2019")
                    .Add(Compose(account, ++_delivered, 900), [], new DateTimeOffset(2019, 5, 3, 8, 0, 0, TimeSpan.Zero));
                box.Find("INBOX")!
                    .Add(
                        Compose(account, ++_delivered, 900, "The clock of this machine is wrong"),
                        [],
                        new DateTimeOffset(2038, 1, 19, 3, 14, 7, TimeSpan.Zero)
                    );
                break;
        }
    }

    private string[] Flags(FolderShare share)
    {
        var flags = new List<string>();
        if (share.Use == "\\Drafts")
            flags.Add("\\Draft");
        if (_chance.Next(10) > 1)
            flags.Add("\\Seen");
        if (_chance.Next(5) == 0)
            flags.Add("\\Answered");
        if (_chance.Next(12) == 0)
            flags.Add("\\Flagged");
        if (_chance.Next(15) == 0)
            flags.Add(_words.Keywords[_chance.Next(_words.Keywords.Length)]);
        return [.. flags];
    }

    private byte[] Compose(string to, int number, int octets, string? subject = null)
    {
        subject ??= _words.Subjects[number % _words.Subjects.Length];
        var encoded = subject.All(char.IsAscii) ? subject : $"=?utf-8?B?{Convert.ToBase64String(Encoding.UTF8.GetBytes(subject))}?=";
        var text = new StringBuilder();
        for (var i = 0; i < 3; i++)
            text.Append(_words.Sentences[(number + (i * 3)) % _words.Sentences.Length]).Append("\r\n");
        var message = new StringBuilder();
        message.Append(
            CultureInfo.InvariantCulture,
            $"Received: from quay.lanternpost.example by imap.lanternpost.example; Mon, 8 Jan 2024 06:30:00 +0000\r\n"
        );
        message.Append(
            CultureInfo.InvariantCulture,
            $"From: Harbour desk <desk{number % 9}@saltmarsh.example>\r\nTo: {to}\r\nSubject: {encoded}\r\n"
                + $"Date: Mon, 8 Jan 2024 06:30:00 +0000\r\nMessage-ID: <{number}@saltmarsh.example>\r\n"
        );
        if (octets < 3000)
            return Encoding.UTF8.GetBytes(message.Append("Content-Type: text/plain; charset=utf-8\r\n\r\n").Append(text).ToString());
        // The larger ones carry an attachment.
        var attachment = new byte[octets * 3 / 4];
        _chance.NextBytes(attachment);
        message
            .Append(
                "MIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=\"rope\"\r\n\r\n--rope\r\n"
                    + "Content-Type: text/plain; charset=utf-8\r\n\r\n"
            )
            .Append(text);
        message.Append("--rope\r\nContent-Type: application/octet-stream; name=\"chart.bin\"\r\nContent-Transfer-Encoding: base64\r\n\r\n");
        message.Append(Convert.ToBase64String(attachment, Base64FormattingOptions.InsertLineBreaks)).Append("\r\n--rope--\r\n");
        return Encoding.UTF8.GetBytes(message.ToString());
    }
}
