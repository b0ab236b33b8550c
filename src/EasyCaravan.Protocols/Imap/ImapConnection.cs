using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Commands and their answers over one connection, and which mailbox is open on it.</summary>
internal sealed class ImapConnection(LineConnection wire, ImapTraits traits)
{
    /// <summary>The most octets that literals of one response may hold outside of message bodies.</summary>
    private const int LargestLiterals = 16 * 1024 * 1024;

    /// <summary>What a literal takes in memory beyond its octets: endless empty ones would fill it as well.</summary>
    private const int LiteralCost = 64;

    private readonly HashSet<string> _asked = [];
    private readonly Dictionary<string, ImapResult> _early = [];
    private uint _tag;

    public LineConnection Wire => wire;

    /// <summary>The raw name of the open mailbox, and whether it may be written to.</summary>
    public (string Name, bool Writable)? Open { get; set; }

    /// <summary>A mailbox was open once.</summary>
    public bool HasOpened { get; set; }

    /// <summary>A command was begun and not ended: whatever were sent now would be taken for a part of it.</summary>
    public bool IsMidCommand { get; set; }

    /// <summary>Folders whose opening was sent and not answered yet.</summary>
    public int Openings { get; set; }

    /// <summary>The tag of a command that the caller writes, and whose answer the caller reads.</summary>
    public string TagFor(ImapVerb verb)
    {
        // A defect of ours if not: no server is sent what it does not know, or what it cannot do now.
        if (verb.Needs is { } needs && !traits.Can(needs))
            throw new InvalidOperationException($"{verb.Name} is sent to a server without {needs}.");
        if (verb.State is ImapState.Selected && Open is null && Openings == 0)
            throw new InvalidOperationException($"{verb.Name} is sent while no mailbox is open.");
        return $"C{++_tag}";
    }

    /// <summary>Puts a command in the buffer. It leaves with the next flush, together with others.</summary>
    public async ValueTask<string> PutAsync(ImapCommand command, CancellationToken cancel)
    {
        var tag = TagFor(command.Verb);
        await wire.WriteAsync($"{tag} {command}\r\n", cancel);
        _asked.Add(tag);
        return tag;
    }

    /// <summary>A whole response with its literals in memory. Not for message bodies.</summary>
    public async ValueTask<ImapResponse> ReadResponseAsync(CancellationToken cancel)
    {
        var line = await wire.ReadLineAsync(cancel);
        var length = ImapSyntax.LiteralLength(line.Span);
        if (length is null)
            return NoteFarewell(new ImapResponse(line, []));
        var text = new MemoryStream();
        var literals = new List<byte[]>();
        long held = 0;
        while (true)
        {
            text.Write(line.Span);
            if (length is not { } octets)
                return NoteFarewell(new ImapResponse(text.ToArray(), literals));
            held += line.Length + LiteralCost;
            if (octets > LargestLiterals - held)
                throw wire.Break(Cause.ProtocolBroken, $"the server sent more than {LargestLiterals} octets where a few were asked for");
            held += octets;
            literals.Add(await wire.ReadOctetsAsync((int)octets, cancel));
            line = await wire.ReadLineAsync(cancel);
            length = ImapSyntax.LiteralLength(line.Span);
        }
    }

    /// <summary>Remembers a BYE (RFC 9051 §7.1.5).</summary>
    public ImapResponse NoteFarewell(ImapResponse response)
    {
        if (response.Text.Span.StartsWith("* BYE"u8))
        {
            var bye = ImapResult.Parse(response.Text.Span[2..]);
            wire.Farewell = (bye.Text, bye.CodeName);
        }
        return response;
    }

    /// <summary>The caller reads this command's answer off the wire by itself.</summary>
    public void ReadsByItself(string tag) => _asked.Remove(tag);

    /// <summary>Reads until a tag's answer; every untagged response before it goes to the handler.</summary>
    /// <param name="untagged">
    /// Gets a response that is valid only during the call. A <see cref="FormatException"/> of it closes the connection.
    /// </param>
    public async ValueTask<ImapResult> AnswerAsync(string tag, Action<ImapResponse>? untagged, CancellationToken cancel)
    {
        await wire.FlushAsync(cancel);
        while (true)
        {
            // A server may work on several commands at a time and end a later one first (RFC 9051 §5.5).
            if (_early.Remove(tag, out var result))
                return result;
            var response = await ReadResponseAsync(cancel);
            try
            {
                if (response.IsUntagged)
                    untagged?.Invoke(response);
                else if (_asked.FirstOrDefault(response.IsTagged) is { } ended)
                {
                    _asked.Remove(ended);
                    _early[ended] = ImapResult.Parse(response.Text.Span[(ended.Length + 1)..]);
                }
                else if (!response.IsContinuation)
                    throw new FormatException($"'{Shorten(response)}' answers nothing that was asked");
            }
            catch (FormatException e)
            {
                throw wire.Garbage(e);
            }
        }
    }

    public async ValueTask<ImapResult> RunAsync(ImapCommand command, Action<ImapResponse>? untagged, CancellationToken cancel) =>
        await AnswerAsync(await PutAsync(command, cancel), untagged, cancel);

    /// <summary>Runs a command that must succeed.</summary>
    /// <param name="what">What could not be done, for the fault.</param>
    public async ValueTask MustAsync(
        ImapCommand command,
        Action<ImapResponse>? untagged,
        string what,
        Cause otherwise,
        CancellationToken cancel
    )
    {
        var result = await RunAsync(command, untagged, cancel);
        if (!result.IsOk)
            throw new FaultException(ImapCauses.Refused(result, wire, what, otherwise), Verdict.Keep);
    }

    private static string Shorten(ImapResponse response) =>
        Encoding.Latin1.GetString(response.Text.Span[..Math.Min(60, response.Text.Length)]);
}
