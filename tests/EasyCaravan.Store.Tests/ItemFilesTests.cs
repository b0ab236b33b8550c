using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Store.Tests;

public sealed class ItemFilesTests
{
    [Fact]
    public async Task What_was_found_in_a_file_is_kept_as_long_as_the_file_is_the_same()
    {
        var cancel = CancellationToken.None;
        await using var store = await TestDatabase.OpenAsync();
        var files = new ItemFiles(store.Database, new Journal(store.Database, TimeProvider.System), TimeProvider.System);
        var outline = new ItemFileOutline(ItemFileFormat.Icalendar, "Tide tables", 12);
        async Task<ItemFileState> PutAsync(string text) => await files.KeepAsync("a.ics", Encoding.UTF8.GetBytes(text), "somebody", cancel);
        async Task<ItemFileOutline?> KnownAsync() => Assert.Single(await files.FindAsync("*.ics", cancel)).Outline;

        var first = await PutAsync("one");
        Assert.Null(first.Outline);
        await files.KeepOutlinesAsync([first with { Outline = outline }], cancel);
        Assert.Equal(outline, await KnownAsync());
        await PutAsync("one");
        Assert.Equal(outline, await KnownAsync());
        await PutAsync("two");
        Assert.Null(await KnownAsync());
        // Somebody looked at the file before it was replaced.
        await files.KeepOutlinesAsync([first with { Outline = outline }], cancel);
        Assert.Null(await KnownAsync());
    }
}
