using System.Text;
using CsCheck;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Files.Mail;

namespace EasyCaravan.Protocols.Tests.Filed;

/// <summary>Mboxes written here in every dialect come back octet for octet.</summary>
public sealed class MboxTests
{
    private static readonly DateTimeOffset s_fileTime = new(2020, 5, 5, 5, 5, 5, TimeSpan.Zero);

    private static readonly string[] s_lines =
    [
        "",
        "Dear all,",
        "From here on the ramp is closed.",
        ">From the harbour master:",
        ">>From an older letter",
        "From aoife@saltmarsh.example Sat Jan  3 01:05:34 1996",
        ">From aoife@saltmarsh.example Sat Jan  3 01:05:34 1996",
        "Status: not a mark, as the body has begun",
        "Fromage",
        ">",
    ];

    private static readonly Gen<string[]> s_body = OneOf(s_lines).Array[0, 8];

    private static Gen<string> OneOf(params string[] texts) => Gen.Int[0, texts.Length - 1].Select(i => texts[i]);

    private static string HeadOf(int i) =>
        $"Received: from a by b; Tue, 5 Mar 2019 10:00:{i:00} +0100\nFrom: a@saltmarsh.example\nSubject: No {i}\nMessage-ID: <{i}@x>\n";

    private static string Quoted(MboxDialect dialect, string line) =>
        dialect switch
        {
            MboxDialect.Mboxo or MboxDialect.Mboxcl => line.StartsWith("From ", StringComparison.Ordinal) ? ">" + line : line,
            MboxDialect.Mboxrd => line.TrimStart('>').StartsWith("From ", StringComparison.Ordinal) ? ">" + line : line,
            _ => line,
        };

    private static string Write(MboxDialect dialect, string[][] bodies, string newline)
    {
        var file = new StringBuilder();
        for (var i = 0; i < bodies.Length; i++)
        {
            var body = string.Concat(bodies[i].Select(l => Quoted(dialect, l) + "\n")).Replace("\n", newline, StringComparison.Ordinal);
            file.Append("From x@saltmarsh.example Tue Mar  5 09:00:0").Append(i).Append(" 2019\n").Append(HeadOf(i));
            if (dialect is MboxDialect.Mboxcl or MboxDialect.Mboxcl2)
                file.Append($"Content-Length: {body.Length}\nLines: {bodies[i].Length}\n");
            file.Append("Status: RO\nX-Status: F\nX-Keywords: Ramp\n\n");
            file.Replace("\r\n", "\n").Replace("\n", newline);
            file.Append(body).Append(newline);
        }
        return file.ToString();
    }

    internal static List<(MailEntry Entry, string Text)> Read(string file, MboxDialect? said = null)
    {
        var octets = Encoding.Latin1.GetBytes(file);
        var contents = MboxScan.Run(new MemoryStream(octets), said, s_fileTime, CancellationToken.None);
        var read = new List<(MailEntry, string)>();
        foreach (var entry in contents.Messages)
        {
            using var stream = new MessageStream(
                new MemoryStream(octets, (int)entry.Offset, octets.Length - (int)entry.Offset),
                entry,
                new MessageForm(true, contents.Unquoting)
            );
            using var text = new MemoryStream();
            stream.CopyTo(text);
            Assert.Equal(entry.Size, text.Length);
            read.Add((entry, Encoding.Latin1.GetString(text.ToArray())));
        }
        return read;
    }

    private static string Sent(int i, string[] body) =>
        (HeadOf(i) + "\n" + string.Concat(body.Select(l => l + "\n"))).Replace("\n", "\r\n", StringComparison.Ordinal);

    [Theory]
    [InlineData(MboxDialect.Mboxrd)]
    [InlineData(MboxDialect.Mboxcl2)]
    [InlineData(MboxDialect.Mboxo)]
    [InlineData(MboxDialect.Mboxcl)]
    public void A_dialect_that_is_told_gives_every_message_back(MboxDialect dialect) =>
        Gen.Select(s_body.Array[1, 4], OneOf("\n", "\r\n"))
            .Sample(
                (bodies, newline) =>
                {
                    if (dialect is MboxDialect.Mboxo or MboxDialect.Mboxcl)
                        // These dialects cannot tell what they quoted from what was quoted before.
                        bodies = [.. bodies.Select(b => b.Where(l => !l.StartsWith(">From ", StringComparison.Ordinal)).ToArray())];
                    var read = Read(Write(dialect, bodies, newline), dialect);
                    Assert.Equal(bodies.Select((b, i) => Sent(i, b)), read.Select(r => r.Text));
                }
            );

    /// <summary>Without a word about the dialect, as long as the file itself tells enough.</summary>
    [Theory]
    [InlineData(MboxDialect.Mboxrd)]
    [InlineData(MboxDialect.Mboxcl2)]
    public void The_dialect_is_found_out(MboxDialect dialect) =>
        s_body
            .Array[1, 4]
            .Sample(bodies =>
            {
                if (dialect is MboxDialect.Mboxcl2)
                    bodies[0] = ["From this line one sees that nothing is quoted", .. bodies[0]];
                var read = Read(Write(dialect, bodies, "\n"));
                Assert.Equal(bodies.Select((b, i) => Sent(i, b)), read.Select(r => r.Text));
            });

    [Fact]
    public void Marks_dates_and_keywords_are_the_files_own()
    {
        var (entry, text) = Assert.Single(
            Read(
                Write(
                    MboxDialect.Mboxrd,
                    [
                        ["x"],
                    ],
                    "\n"
                )
            )
        );
        Assert.Equal("Ramp \\Flagged \\Seen", entry.Flags);
        Assert.Equal(new DateTimeOffset(2019, 3, 5, 9, 0, 0, TimeSpan.Zero), entry.Date);
        Assert.Equal(DateSource.Mark, entry.DateSource);
        Assert.DoesNotContain("Status", text, StringComparison.Ordinal);
    }

    [Theory]
    // UTC, as the standard wants it; local time, which the trace gives away; a zone before or after the year; neither.
    [InlineData("Tue Mar  5 09:00:01 2019", "2019-03-05T09:00:01Z")]
    [InlineData("Tue Mar  5 10:00:01 2019", "2019-03-05T09:00:01Z")]
    [InlineData("Tue Mar 5 04:30:01 -0430 2019", "2019-03-05T09:00:01Z")]
    [InlineData("Tue Mar 5 14:45:01 2019 +0545", "2019-03-05T09:00:01Z")]
    [InlineData("Fri Mar  8 17:17:17 2019", "2019-03-08T17:17:17Z")]
    public void The_line_before_a_message_tells_when_it_came(string date, string expected)
    {
        var file = $"From x@y {date}\n{HeadOf(0)}\nx\n";
        Assert.Equal(DateTimeOffset.Parse(expected, null), Assert.Single(Read(file)).Entry.Date);
    }

    [Fact]
    public void A_message_keeps_its_print_when_a_program_writes_the_file_again()
    {
        string[][] bodies =
        [
            ["one", "", "From the pier"],
            ["two"],
        ];
        var before = Read(Write(MboxDialect.Mboxo, bodies, "\n"));
        var after = Read(Write(MboxDialect.Mboxo, bodies, "\n").Replace("Status: RO\n", "", StringComparison.Ordinal).TrimEnd('\n') + "\n");
        Assert.Equal(before.Select(m => m.Entry.Print), after.Select(m => m.Entry.Print));
    }

    [Fact]
    public void A_length_that_fits_nowhere_is_told_and_divides_nothing()
    {
        var file = Write(
                MboxDialect.Mboxrd,
                [
                    ["one"],
                    ["two"],
                    ["three"],
                ],
                "\n"
            )
            .Replace("Subject: No 1", "Content-Length: 3000\nSubject: No 1", StringComparison.Ordinal);
        var contents = MboxScan.Run(new MemoryStream(Encoding.Latin1.GetBytes(file)), null, s_fileTime, CancellationToken.None);
        Assert.Equal(3, contents.Messages.Count);
        Assert.Equal(1, Assert.Single(contents.Unclear).Messages);
        Assert.Contains("Content-Length: 3000", Read(file)[1].Text, StringComparison.Ordinal);
    }

    /// <summary>LF and CR where the length ends are no line end.</summary>
    [Fact]
    public void A_length_that_ends_within_a_line_divides_nothing()
    {
        var read = Read("From x@y Tue Mar  5 09:00:01 2019\nContent-Length: 6\n\nfolded\n\r");
        Assert.Equal("Content-Length: 6\r\n\r\nfolded\r\n\r", Assert.Single(read).Text);
    }

    [Fact]
    public void An_empty_line_may_be_missing_where_a_header_follows()
    {
        const string Line = "From x@y Tue Mar  5 09:00:01 2019\n";
        var read = Read($"{Line}Subject: one\n\nNo line end\n{Line}Subject: two\n\nThis is quoted text:\n{Line}and no header.\n");
        Assert.Equal(
            ["No line end\r\n", $"This is quoted text:\r\n{Line[..^1]}\r\nand no header.\r\n"],
            read.Select(m => m.Text.Split("\r\n\r\n")[1])
        );
    }

    [Fact]
    public void What_belongs_to_the_whole_file_is_no_message()
    {
        var file =
            "From MAILER-DAEMON Tue Mar  5 09:00:01 2019\nSubject: DON'T DELETE THIS MESSAGE -- FOLDER INTERNAL DATA\n"
            + "X-IMAP: 1234567890 0000000002\nStatus: RO\n\nThis text is part of the internal format of your mail folder.\n\n"
            + Write(
                MboxDialect.Mboxo,
                [
                    ["x"],
                ],
                "\n"
            );
        Assert.Equal("No 0", Assert.Single(Read(file)).Text.Split("Subject: ")[1].Split('\r')[0]);
    }

    [Fact]
    public void One_line_without_end_is_read_in_bounded_memory()
    {
        var before = GC.GetAllocatedBytesForCurrentThread();
        var contents = MboxScan.Run(new EndlessLine(1L << 30), null, s_fileTime, CancellationToken.None);
        Assert.Equal((1L << 30) - "From x Tue Mar  5 09:00:01 2019\n".Length, Assert.Single(contents.Messages).Raw);
        Assert.True(GC.GetAllocatedBytesForCurrentThread() - before < 4 * 1024 * 1024);
    }

    [Theory]
    [InlineData("")]
    [InlineData("no mbox at all")]
    [InlineData("From nobody\nSubject: x\n\nx\n")]
    [InlineData("Subject: x\n\nFrom x Tue Mar  5 09:00:01 2019\n")]
    public void What_is_no_mbox_is_told(string file)
    {
        var octets = new MemoryStream(Encoding.Latin1.GetBytes(file));
        if (file.Length == 0)
            Assert.Empty(MboxScan.Run(octets, null, s_fileTime, CancellationToken.None).Messages);
        else
            Assert.Throws<InvalidDataException>(() => MboxScan.Run(octets, null, s_fileTime, CancellationToken.None));
    }

    /// <summary>Any octets at all: the sizes told are those that are read, and no octet of a message is lost between two of them.</summary>
    [Fact]
    public void Any_file_that_begins_like_an_mbox_is_read_as_its_index_tells() =>
        OneOf([.. s_lines, "Content-Length: 7", "Status: O", " folded", "X-Keywords: a", "Lines: 2", "\r"])
            .Array[0, 30]
            .Select(OneOf("\n", "\r\n", "\n\n"))
            .Sample(
                (lines, newline) =>
                {
                    var file = "From x Tue Mar  5 09:00:01 2019\n" + string.Join(newline, lines);
                    Read(file);
                    foreach (var said in Enum.GetValues<MboxDialect>())
                        Read(file, said);
                },
                iter: 10000
            );

    private sealed class EndlessLine(long length) : Stream
    {
        private readonly byte[] _start = Encoding.Latin1.GetBytes("From x Tue Mar  5 09:00:01 2019\n");
        private long _at;

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => length;
        public override long Position
        {
            get => _at;
            set => throw new NotSupportedException();
        }

        public override int Read(byte[] buffer, int offset, int count)
        {
            if (_at == 0)
            {
                _start.CopyTo(buffer, offset);
                _at = _start.Length;
                return _start.Length;
            }
            count = (int)Math.Min(count, length - _at);
            buffer.AsSpan(offset, count).Fill((byte)'x');
            _at += count;
            return count;
        }

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
