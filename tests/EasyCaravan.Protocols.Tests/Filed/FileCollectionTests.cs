using System.Text;
using EasyCaravan.Core.Formats.Csv;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Files;

namespace EasyCaravan.Protocols.Tests.Filed;

/// <summary>Which files are one address book or calendar, and that nobody reads one again to know.</summary>
public sealed class FileCollectionTests
{
    private readonly HandedOver _files = new();

    private async Task<string[]> NamesAsync(ItemFileFormat speaks, string pattern)
    {
        var kind = speaks is ItemFileFormat.Icalendar ? Kind.Calendars : Kind.Contacts;
        await using var account = new FileCollectionAccount(new CollectionConnection.Files(speaks, pattern, []), kind, _files, "anna");
        return [.. (await account.ListAsync(CancellationToken.None)).Select(c => c.Properties.Name!)];
    }

    private static string Card(string name) => $"BEGIN:VCARD\r\nVERSION:3.0\r\nFN:{name}\r\nN:;{name};;;\r\nEND:VCARD\r\n";

    [Fact]
    public async Task A_list_of_unchanged_files_opens_none_of_them()
    {
        foreach (var name in new[] { "Ann", "Ben", "Cleo" })
            _files.Put($"lists/anna/Crew/{name}.vcf", Card(name));
        Assert.Equal(["Crew"], await NamesAsync(ItemFileFormat.Vcard, "lists/{account}/**/*.vcf"));
        Assert.Equal(3, _files.Read);
        Assert.Equal(["Crew"], await NamesAsync(ItemFileFormat.Vcard, "lists/{account}/**/*.vcf"));
        Assert.Equal(3, _files.Read);
        // A file that changed is looked at, and it alone: its folder is no single address book any more.
        _files.Put("lists/anna/Crew/Ann.vcf", Card("Ann") + Card("Anton"));
        Assert.Equal(["Ann", "Ben", "Cleo"], (await NamesAsync(ItemFileFormat.Vcard, "lists/{account}/**/*.vcf")).Order());
        Assert.Equal(4, _files.Read);
    }

    [Fact]
    public async Task The_name_that_a_calendar_gives_itself_is_read_once()
    {
        _files.Put("anna.ics", "BEGIN:VCALENDAR\r\nX-WR-CALNAME:Tide tables\r\nEND:VCALENDAR\r\n");
        for (var i = 0; i < 3; i++)
            Assert.Equal(["Tide tables"], await NamesAsync(ItemFileFormat.Icalendar, "{account}.ics"));
        Assert.Equal(1, _files.Read);
    }

    /// <summary>What was found in a file as one format says nothing about it as another.</summary>
    [Fact]
    public async Task A_file_is_looked_at_again_where_the_plan_says_another_format()
    {
        _files.Put("lists/anna/1", Card("Ann"));
        _files.Put("lists/anna/2", Card("Ben"));
        Assert.Equal(["anna"], await NamesAsync(ItemFileFormat.Vcard, "lists/{account}/*"));
        await NamesAsync(ItemFileFormat.Icalendar, "lists/{account}/*");
        Assert.Equal(4, _files.Read);
    }

    private sealed class HandedOver : IItemFiles
    {
        private readonly SortedDictionary<string, (ItemFileState State, byte[] Octets)> _files = new(StringComparer.Ordinal);

        public int Read { get; private set; }

        public void Put(string name, string text)
        {
            var octets = Encoding.UTF8.GetBytes(text);
            var columns = new Dictionary<string, ColumnUse>();
            _files[name] = (new ItemFileState(name, octets.Length, Guid.NewGuid().ToString("n"), default, columns), octets);
        }

        public Task<IReadOnlyList<ItemFileState>> FindAsync(string pattern, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<ItemFileState>>([
                .. _files.Values.Select(f => f.State).Where(f => FileGlob.Of(pattern).IsMatch(f.Name)),
            ]);

        public Task<ReadOnlyMemory<byte>?> ReadAsync(string name, CancellationToken cancel)
        {
            Read++;
            return Task.FromResult<ReadOnlyMemory<byte>?>(_files[name].Octets);
        }

        public Task KeepOutlinesAsync(IReadOnlyCollection<ItemFileState> read, CancellationToken cancel)
        {
            foreach (var file in read)
                if (_files[file.Name] is var (state, octets) && state.Digest == file.Digest)
                    _files[file.Name] = (state with { Outline = file.Outline }, octets);
            return Task.CompletedTask;
        }
    }
}
