using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Commands and their answers over one wire, and which mailbox is open on it.</summary>
internal sealed class ImapConnection(LineConnection wire)
{
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

    public string NextTag() => $"C{++_tag}";

    /// <summary>Puts a command in the buffer. It leaves with the next flush, together with others.</summary>
    public async ValueTask<string> PutAsync(string command, CancellationToken cancel)
    {
        var tag = NextTag();
        await wire.WriteAsync($"{tag} {command}\r\n", cancel);
        _asked.Add(tag);
        return tag;
    }

    /// <summary>The caller reads this command's answer off the wire by itself.</summary>
    public void Leave(string tag) => _asked.Remove(tag);

    /// <summary>Reads until a tag's answer; every untagged response before it goes to the handler.</summary>
    /// <param name="untagged">Gets a response that is valid only during the call. A <see cref="FormatException"/> of it closes the connection.</param>
    public async ValueTask<ImapResult> AnswerAsync(string tag, Action<ImapResponse>? untagged, CancellationToken cancel)
    {
        await wire.FlushAsync(cancel);
        while (true)
        {
            // A server may work on several commands at a time and end a later one first (RFC 9051 §5.5).
            if (_early.Remove(tag, out var result)) return result;
            var response = await wire.ReadResponseAsync(cancel);
            try
            {
                if (response.IsUntagged) untagged?.Invoke(response);
                else if (_asked.FirstOrDefault(response.IsTagged) is { } ended)
                {
                    _asked.Remove(ended);
                    _early[ended] = ImapResult.Parse(response.Text.Span[(ended.Length + 1)..]);
                }
                else if (!response.IsContinuation) throw new FormatException($"'{Shorten(response)}' answers nothing that was asked");
            }
            catch (FormatException e)
            {
                throw wire.Garbage(e);
            }
        }
    }

    public async ValueTask<ImapResult> RunAsync(string command, Action<ImapResponse>? untagged, CancellationToken cancel) =>
        await AnswerAsync(await PutAsync(command, cancel), untagged, cancel);

    /// <summary>Runs a command that must succeed.</summary>
    /// <param name="what">What could not be done, for the fault.</param>
    public async ValueTask MustAsync(string command, Action<ImapResponse>? untagged, string what, Cause otherwise, CancellationToken cancel)
    {
        var result = await RunAsync(command, untagged, cancel);
        if (!result.IsOk) throw new FaultException(ImapCauses.Refused(result, wire, what, otherwise), Verdict.Keep);
    }

    private static string Shorten(ImapResponse response) => Encoding.Latin1.GetString(response.Text.Span[..Math.Min(60, response.Text.Length)]);
}
