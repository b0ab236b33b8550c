using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Lines;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Tests;

/// <summary>The table of commands: what it says holds for what is sent.</summary>
public sealed class ImapVerbTableTests
{
    private static ImapTraits Traits(ImapCapabilities capabilities) => new(capabilities, '/', "", false, [], null);

    [Fact]
    public void Every_command_is_there_once_with_its_standard()
    {
        Assert.Equal(ImapVerbs.All.Count, ImapVerbs.All.Select(v => v.Name).Distinct().Count());
        Assert.Equal(typeof(ImapVerbs).GetFields().Length, ImapVerbs.All.Count);
        Assert.All(ImapVerbs.All, v => Assert.Matches(@"^RFC \d{4} §[\d.]+(, RFC \d{4}( §[\d.]+)?)?$", v.Rfc));
        // A command that adds, copies or moves a message would do it twice if it were sent twice.
        Assert.Equal(["APPEND", "UID COPY", "UID MOVE"], ImapVerbs.All.Where(v => !v.SafeToReplay).Select(v => v.Name));
    }

    [Fact]
    public async Task A_command_is_not_sent_to_a_server_that_does_not_know_it()
    {
        await using var wire = new LineConnection(new MemoryStream(), "a", TimeSpan.FromMinutes(1));
        foreach (var verb in ImapVerbs.All.Where(v => v.Needs is not null))
        {
            var connection = new ImapConnection(wire, Traits(ImapCapabilities.None)) { Open = ("INBOX", true) };
            Assert.Contains(
                "without",
                Assert.Throws<InvalidOperationException>(() => connection.TagFor(verb)).Message,
                StringComparison.Ordinal
            );
            Assert.Equal("C1", new ImapConnection(wire, Traits(verb.Needs!.Value)) { Open = ("INBOX", true) }.TagFor(verb));
        }
    }

    [Fact]
    public async Task A_command_about_the_open_mailbox_is_sent_only_while_one_is_open_or_opening()
    {
        await using var wire = new LineConnection(new MemoryStream(), "a", TimeSpan.FromMinutes(1));
        foreach (var verb in ImapVerbs.All.Where(v => v.State is ImapState.Selected))
        {
            var traits = Traits(verb.Needs ?? ImapCapabilities.None);
            Assert.Throws<InvalidOperationException>(() => new ImapConnection(wire, traits).TagFor(verb));
            Assert.Equal("C1", new ImapConnection(wire, traits) { Openings = 1 }.TagFor(verb));
        }
    }
}
