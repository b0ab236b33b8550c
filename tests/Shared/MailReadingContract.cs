using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Tests.Shared;

/// <summary>What every mail account promises of reading, whatever service stands behind it.</summary>
public abstract class MailReadingContract
{
    protected static readonly CancellationToken None = CancellationToken.None;

    private static readonly DateTimeOffset s_day = new(2019, 3, 30, 23, 59, 58, TimeSpan.FromMinutes(-90));

    /// <summary>
    /// Messages that differ in what breaks readers: dots, bare words of the protocol, octets beyond ASCII, no body, much body.
    /// </summary>
    protected static readonly byte[][] Messages =
    [
        .. new[]
        {
            "one line\r\n",
            ".\r\n..\r\n.dots at line starts\r\n",
            "",
            "* 5 FETCH (FLAGS ())\r\na1 OK done\r\n+OK {10}\r\n",
            new string('x', 70_000) + "\r\n",
        }.Select((body, i) => Encoding.Latin1.GetBytes($"Message-ID: <{i}@saltmarsh.example>\r\nSubject: {i}\r\n\r\n{body}")),
    ];

    /// <summary>
    /// The folder of this test, in which nothing is until it is put there. It exists after the first <see cref="PutAsync"/>.
    /// </summary>
    protected virtual FolderPath Folder { get; } = FolderPath.Of($"Contract {Guid.NewGuid().ToString("N")[..8]}");

    /// <summary>A new session with the account of this test.</summary>
    protected abstract Task<IMailAccount> OpenAsync();

    /// <summary>Adds a message to <see cref="Folder"/> by means that share no code with what is tested.</summary>
    protected abstract Task PutAsync(string flags, DateTimeOffset received, byte[] octets);

    /// <summary>Whether messages have flags and dates of their own at this service.</summary>
    protected virtual bool KeepsIndex => true;

    protected async Task<IMailAccount> OpenWithMessagesAsync()
    {
        for (var i = 0; i < Messages.Length; i++)
            await PutAsync(FlagsOf(i), s_day.AddDays(i), Messages[i]);
        return await OpenAsync();
    }

    protected static string FlagsOf(int i) => i % 2 == 0 ? "\\Seen" : "\\Answered \\Flagged";

    [Fact]
    public async Task A_folder_is_listed_with_its_cursor()
    {
        await using var account = await OpenWithMessagesAsync();
        var state = (await account.ListFoldersAsync(None)).Single(f => f.Path.Equals(Folder));
        Assert.True(state.Selectable);
        Assert.Equal((uint)Messages.Length, state.Cursor!.Count);
        var numbers = await account.ListNumbersAsync(Folder, None);
        Assert.Equal(Messages.Length, numbers.Count);
        Assert.True(numbers.Ranges[^1].Last < state.Cursor.Next);
    }

    [Fact]
    public async Task The_index_tells_sizes_dates_and_flags_and_leaves_out_what_is_not_there()
    {
        await using var account = await OpenWithMessagesAsync();
        var numbers = await account.ListNumbersAsync(Folder, None);
        var unreadable = new Dictionary<uint, Fault>();
        var wanted = new NumberSet([.. numbers, numbers.Ranges[^1].Last + 1000]);
        var items = (await account.ListItemsAsync(Folder, wanted, unreadable, None)).OrderBy(i => i.Number).ToList();
        Assert.Empty(unreadable);
        Assert.Equal(Messages.Select(m => (long)m.Length), items.Select(i => i.Size.Count));
        if (!KeepsIndex)
            return;
        Assert.Equal(Enumerable.Range(0, Messages.Length).Select(i => s_day.AddDays(i)), items.Select(i => i.Received));
        Assert.All(items, (item, i) => Assert.Equal(FlagsOf(i).Split(' ').Order(), item.Flags.Flags.Where(f => f != "\\Recent").Order()));
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Every_octet_is_read_and_what_is_gone_is_named(bool withIndex)
    {
        await using var account = await OpenWithMessagesAsync();
        var numbers = await account.ListNumbersAsync(Folder, None);
        var absent = numbers.Ranges[^1].Last + 1000;
        var reader = await account.ReadMessagesAsync([(Folder, new NumberSet([.. numbers, absent]))], None, withIndex);
        var read = new SortedDictionary<uint, byte[]>();
        while (await reader.NextAsync(None) is { } start)
        {
            using var octets = new MemoryStream();
            while (await reader.ReadAsync(None) is { Length: > 0 } piece)
                octets.Write(piece.Span);
            Assert.Equal((0, octets.Length), (start.Folder, start.Size.Count));
            if (withIndex && reader.Index is { } index)
                Assert.Equal((start.Number, start.Size), (index.Number, index.Size));
            read.Add(start.Number, octets.ToArray());
        }
        Assert.Equal(Messages, read.Values);
        Assert.Equal([new ItemAt(0, absent)], reader.Gone);
        Assert.Empty(reader.Unreadable);
        // The session is as good as before.
        Assert.Equal(numbers, await account.ListNumbersAsync(Folder, None));
    }

    [Fact]
    public async Task Headers_are_handed_over_with_their_folders_place()
    {
        await using var account = await OpenWithMessagesAsync();
        var numbers = await account.ListNumbersAsync(Folder, None);
        var headers = new List<(int Place, ItemHeader Header)>();
        await account.ReadHeadersAsync([(Folder, numbers)], (place, header) => headers.Add((place, header)), None);
        Assert.All(headers, h => Assert.Equal(0, h.Place));
        Assert.Equal(
            numbers.Select((n, i) => (n, (long)Messages[i].Length, true)),
            headers
                .OrderBy(h => h.Header.Number)
                .Select(
                    (h, i) =>
                        (
                            h.Header.Number,
                            h.Header.Size.Count,
                            Encoding
                                .Latin1.GetString(h.Header.Header)
                                .Contains($"Message-ID: <{i}@saltmarsh.example>", StringComparison.Ordinal)
                        )
                )
        );
    }

    [Fact]
    public async Task An_empty_list_is_no_call_and_no_error()
    {
        await PutAsync("", s_day, Messages[0]);
        await using var account = await OpenAsync();
        Assert.Empty(await account.VisitAsync([], None));
        Assert.Empty(await account.ReadChangesAsync([], None));
        Assert.Empty(await account.ListItemsAsync(Folder, new NumberSet(), new Dictionary<uint, Fault>(), None));
        Assert.Null(await (await account.ReadMessagesAsync([(Folder, new NumberSet())], None)).NextAsync(None));
    }
}
