using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.ManageSieve;
using EasyCaravan.Protocols.Pop3;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests;

/// <summary>
/// Whatever a server says, the caller gets an answer or a fault with a cause, never another exception, and always an end.
/// </summary>
public sealed class HostileServerTests
{
    private static readonly CancellationToken None = CancellationToken.None;

    [Fact]
    public Task IMAP_responses_are_understood_or_are_faults() => Fuzz.RunAsync("imap", octets => ExpectFaultAsync(octets, async wire =>
            {
                var connection = new ImapConnection(wire, new ImapTraits(default, '/', "", false, [], null));
                var flagSets = new Dictionary<string, FlagSet>();
                while (true)
                {
                    var response = await connection.ReadResponseAsync(None);
                    try
                    {
                        Decode(response, flagSets);
                    }
                    catch (FormatException e)
                    {
                        throw wire.Garbage(e);
                    }
                }
            }));

    [Fact]
    public Task POP3_answers_are_understood_or_are_faults() => Fuzz.RunAsync("pop3", octets => ExpectFaultAsync(octets, async wire =>
            {
                while (true)
                {
                    await Pop3Body.IsOkAsync(wire, None);
                    using var text = new MemoryStream();
                    var body = new Pop3Body(wire);
                    while (await body.ReadAsync(None) is { Length: > 0 } piece)
                        text.Write(piece.Span);
                    // Nothing is added: what is read was sent, apart from escaped dots.
                    Assert.True(text.Length <= octets.Length);
                    ReceivedDate.Of(text.ToArray());
                }
            }));

    [Fact]
    public Task ManageSieve_answers_are_understood_or_are_faults() =>
        Fuzz.RunAsync("managesieve", octets => ExpectFaultAsync(octets, async wire =>
            {
                var connection = new ManageSieveConnection(wire);
                await connection.ReadGreetingAsync(None);
                while (true)
                    foreach (var line in (await connection.AnswerAsync(None)).Lines)
                        Assert.NotNull(line.Text);
            }));

    [Fact]
    public Task Folder_names_come_back_as_they_were_or_are_kept_raw() => Fuzz.RunAsync("utf7", octets =>
        {
            var raw = Encoding.Latin1.GetString(octets);
            if (ModifiedUtf7.TryDecode(raw, out var name))
                Assert.Equal(raw, ModifiedUtf7.Encode(name));
            ImapSyntax.FolderName(octets);
        });

    /// <summary>Every decoder, whatever was asked: a server may say anything at any time.</summary>
    private static void Decode(ImapResponse response, Dictionary<string, FlagSet> flagSets)
    {
        _ = ImapResult.Parse(response.Text.Span);
        FetchRow.Read(response, flagSets);
        ListVerb.Read(response, ImapVerbs.List);
        ListVerb.Read(response, ImapVerbs.Lsub);
        StatusVerb.Read(response);
        new SearchAnswer("C3").Take(response);
        GetQuotaRootVerb.Read(response);
        MyRightsVerb.Read(response);
        SelectVerb.ReadExists(response);
        SelectVerb.ReadUidValidity(response);
        SelectVerb.ReadKeepsKeywords(response);
        SelectVerb.ReadVanished(response);
        var space = response.Text.Span.IndexOf((byte)' ');
        if (space < 0)
            return;
        var result = ImapResult.Parse(response.Text.Span[(space + 1)..]);
        AppendVerb.ReadAppendUid(result, 3);
        Assert.True(MoveVerb.ReadCopyUid(result.Code, 1000).Count() <= 1000);
    }

    private static async Task ExpectFaultAsync(byte[] octets, Func<LineConnection, Task> readOn)
    {
        await using var wire = new LineConnection(new Said(octets), "a@x.example", TimeSpan.FromMinutes(1));
        var fault = await Assert.ThrowsAsync<FaultException>(() => readOn(wire));
        Assert.Contains(fault.Fault.Cause, new[] { Cause.ConnectionLost, Cause.ProtocolBroken, Cause.ServiceBusy });
        Assert.False(string.IsNullOrWhiteSpace(fault.Fault.What));
    }

    /// <summary>A connection on which the server sends this and then closes; what the client sends is discarded.</summary>
    private sealed class Said(byte[] octets) : MemoryStream(octets, writable: false)
    {
        public override bool CanWrite => true;

        public override void Write(byte[] buffer, int offset, int count) { }

        public override void Write(ReadOnlySpan<byte> buffer) { }

        public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default) =>
            ValueTask.CompletedTask;
    }
}
