using System.Text;
using System.Xml.Linq;
using EasyCaravan.Protocols.Dav.Wire;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Multistatus answers as servers write them, in any pieces, cut off, and made to do harm.</summary>
public sealed class MultiStatusTests
{
    private const int MostCharacters = 4 * 1024 * 1024;
    private const int LargestObject = 64 * 1024;

    [Theory]
    [InlineData(int.MaxValue)]
    [InlineData(1)]
    public async Task Properties_come_with_the_status_of_their_propstat(int piece)
    {
        var (responses, token) = await ReadAsync(Corpus("collection.xml"), piece);
        var response = Assert.Single(responses);
        Assert.Equal(("/dav/calendars/user/aoife/Default/", null, null), (response.Href, response.Status, token));
        Assert.Equal("Crew & deck", response.Find(DavNames.Dav + "displayname")!.Value);
        var components = response.Find(DavNames.CalDav + "supported-calendar-component-set")!;
        Assert.Equal(["VEVENT", "VTODO"], components.Elements().Select(e => e.Attribute("name")!.Value));
        Assert.Equal(
            [DavNames.Dav + "collection", DavNames.CalDav + "calendar"],
            response.Find(DavNames.Dav + "resourcetype")!.Elements().Select(e => e.Name)
        );
        Assert.Null(response.Find(DavNames.CalDav + "calendar-description"));
        Assert.Equal(404, response.Properties[^1].Status);
    }

    [Theory]
    [InlineData(int.MaxValue)]
    [InlineData(1)]
    public async Task Changes_come_with_what_is_gone_what_was_cut_short_and_where_the_next_look_begins(int piece)
    {
        var (responses, token) = await ReadAsync(Corpus("changes.xml"), piece);
        Assert.Equal([("1.ics", null), ("gone.ics", 404), ("", (int?)507)], responses.Select(r => (r.Href.Split('/')[^1], r.Status)));
        Assert.Equal(("\"a-1\"", "https://dav.northquay.example/sync/42"), (responses[0].Find(DavNames.Dav + "getetag")!.Value, token));
        Assert.Equal(DavNames.Dav + "number-of-matches-within-limits", responses[2].Precondition);
    }

    [Theory]
    [InlineData(int.MaxValue)]
    [InlineData(1)]
    public async Task Objects_have_their_line_ends_again_and_those_that_are_refused_are_none(int piece)
    {
        var (responses, _) = await ReadAsync(Corpus("objects.xml"), piece);
        Assert.Equal(
            ["BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Siobhán <Weir>\r\nEND:VCARD\r\n", "BEGIN:VCARD\r\nEND:VCARD\r\n", null],
            responses.Select(r => r.Data is { } data ? Encoding.UTF8.GetString(data.Span) : null)
        );
        Assert.Equal("https://dav.lanternpost.example/u/a%20b.vcf", responses[0].Href);
        Assert.Equal((403, null), (StatusOf(responses[2]), responses[2].Precondition));
        static int? StatusOf(DavResponse response) => response.Properties.Count == 0 ? 403 : response.Properties[0].Status;
    }

    [Fact]
    public async Task A_large_object_with_characters_of_every_width_comes_octet_for_octet()
    {
        var text = string.Concat(
            Enumerable
                .Range(0, 9_000)
                .Select(i =>
                    i % 7 == 0 ? "\U0001F600\r\n"
                    : i % 5 == 0 ? "é"
                    : "x"
                )
        );
        var answer = Answer(
            $"<response><href>/1</href><propstat><prop><C:calendar-data>{text}</C:calendar-data></prop></propstat></response>"
        );
        var (responses, _) = await ReadAsync(Encoding.UTF8.GetBytes(answer), 1_000);
        Assert.Equal(Encoding.UTF8.GetBytes(text), responses[0].Data!.Value.ToArray());
    }

    [Fact]
    public async Task Several_resources_may_share_a_status()
    {
        var answer = Answer("<response><href>/1</href><href>/2</href><status>HTTP/1.1 423 Locked</status></response>");
        var (responses, _) = await ReadAsync(Encoding.UTF8.GetBytes(answer), int.MaxValue);
        Assert.Equal([("/1", 423), ("/2", (int?)423)], responses.Select(r => (r.Href, r.Status)));
    }

    public static TheoryData<string, string> Hostile =>
        new()
        {
            { "<!DOCTYPE multistatus [<!ENTITY a \"aaaaaaaaaa\">]><multistatus xmlns=\"DAV:\">&a;</multistatus>", "well-formed" },
            { "<!DOCTYPE x SYSTEM \"file:///etc/hostname\"><multistatus xmlns=\"DAV:\"/>", "well-formed" },
            { "<html><body>Over quota</body></html>", "no multistatus" },
            { "<multistatus/>", "no multistatus" },
            { "", "well-formed" },
            { Answer("<response><status>HTTP/1.1 200 OK</status></response>"), "names no resource" },
            { Answer("<response/>"), "names no resource" },
            { Answer($"<x>{new string('y', 10)}{string.Concat(Enumerable.Repeat("<y>", 100))}"), "deep" },
            { Answer($"<response><href>/1</href><propstat><prop><displayname>{new string('y', 300_000)}"), "larger than" },
            { Answer($"<response><href>/1</href><propstat><prop><C:calendar-data>{new string('y', 100_000)}"), "larger than" },
            { Answer($"<response><href>/1</href><propstat><prop>{string.Concat(Enumerable.Repeat("<a/>", 300))}"), "more than" },
            { Answer("<response><href>/1</href><propstat><prop><C:calendar-data>a<b/>c</C:calendar-data>"), "elements in it" },
            { Answer($"<response><href>/1</href>{string.Concat(Enumerable.Repeat("<x>y</x>", 700_000))}"), "well-formed" },
        };

    [Theory]
    [MemberData(nameof(Hostile))]
    public async Task What_is_made_to_do_harm_is_refused_with_a_reason(string answer, string reason)
    {
        var fault = await Assert.ThrowsAsync<FormatException>(() => ReadAsync(Encoding.UTF8.GetBytes(answer), int.MaxValue));
        Assert.Contains(reason, fault.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("collection.xml")]
    [InlineData("changes.xml")]
    [InlineData("objects.xml")]
    public async Task Cut_at_any_octet_it_is_never_taken_for_whole(string file)
    {
        var whole = Corpus(file);
        var end = whole.AsSpan().LastIndexOf("</"u8);
        for (var length = 0; length < end; length++)
            await Assert.ThrowsAsync<FormatException>(() => ReadAsync(whole[..length], int.MaxValue));
    }

    [Fact]
    public Task Whatever_a_server_answers_it_is_read_or_refused() => Fuzz.RunAsync("multistatus", async octets =>
        {
            try
            {
                foreach (var response in (await ReadAsync(octets, int.MaxValue)).Responses)
                    Assert.NotEqual("", response.Href);
            }
            catch (FormatException)
            {
                // Refused with a reason.
            }
        });

    private static string Answer(string responses) =>
        $"<multistatus xmlns=\"DAV:\" xmlns:C=\"urn:ietf:params:xml:ns:caldav\">{responses}</multistatus>";

    private static byte[] Corpus(string file) => File.ReadAllBytes(Path.Combine(AppContext.BaseDirectory, "Corpus", "multistatus", file));

    private static async Task<(List<DavResponse> Responses, string? Token)> ReadAsync(byte[] answer, int piece)
    {
        var reader = new MultiStatusReader(new PiecesStream(answer, piece), MostCharacters, LargestObject);
        var responses = new List<DavResponse>();
        await foreach (var response in reader.ReadAsync(CancellationToken.None))
            responses.Add(response);
        return (responses, reader.SyncToken);
    }

    /// <summary>Gives its octets out so many at a time, as a network may.</summary>
    private sealed class PiecesStream(byte[] octets, int piece) : MemoryStream(octets)
    {
        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            base.ReadAsync(buffer[..Math.Min(buffer.Length, piece)], cancellationToken);

        public override int Read(byte[] buffer, int offset, int count) => base.Read(buffer, offset, Math.Min(count, piece));
    }
}
