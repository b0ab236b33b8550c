using System.Text;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>The script that forwards for us, and has the person's own rules go on working behind it.</summary>
public static class ForwardingScript
{
    /// <summary>Under which it is kept beside the person's scripts.</summary>
    public const string Name = "easy-caravan-forwarding";

    /// <summary>Nobody gets a second answer earlier.</summary>
    private const int DaysBetweenAnswers = 7;

    /// <summary>
    /// Forwarding stands before the person's own rules: one of those may end the script, and nothing may fall in the gap.
    /// </summary>
    /// <param name="included">
    /// The person's active script, by the name under which the server keeps it: ours runs it (RFC 6609). Null: there is none, or the server
    /// cannot run one script from another.
    /// </param>
    /// <param name="below">The same, taken into ours, octet for octet behind its requires; null: there is none, or it is included.</param>
    /// <param name="keepsCopy">Mail also stays in the old mailbox (RFC 3894).</param>
    /// <param name="answers">What is answered to mail for this address (RFC 5230); null: nothing.</param>
    public static byte[] Compose(
        string? included,
        SieveScript? below,
        string to,
        bool keepsCopy,
        (string Address, AddressMessage Answer)? answers = null
    )
    {
        var requires = new List<string>();
        if (keepsCopy)
            requires.Add("copy");
        if (answers is not null)
            requires.Add("vacation");
        if (included is not null)
            requires.Add("include");
        if (below is not null)
            requires.AddRange(SieveFacts.Of(below).Requires.Except(requires));
        var head = new StringBuilder();
        if (requires.Count > 0)
            head.Append("require [").AppendJoin(", ", requires.Select(Quoted)).Append("];\r\n");
        head.Append("# Easy Caravan forwards mail while this account moves. The rules of its owner go on working below.\r\n");
        head.Append("redirect ").Append(keepsCopy ? ":copy " : "").Append(Quoted(to)).Append(";\r\n");
        if (answers is var (address, answer))
            head.Append($"vacation :days {DaysBetweenAnswers} :addresses [{Quoted(address)}] :subject {Quoted(answer.Subject)} ")
                .Append(Quoted(answer.Text.ReplaceLineEndings("\r\n")))
                .Append(";\r\n");
        if (included is not null)
            head.Append("include :personal :optional ").Append(Quoted(included)).Append(";\r\n");
        var ours = Encoding.UTF8.GetBytes(head.ToString());
        return below is null ? ours : [.. ours, .. WithoutRequires(below)];
    }

    /// <summary>
    /// A script's requires must stand before all else (RFC 5228 §3.2), so that ours say them; everything else stays as it is.
    /// </summary>
    private static byte[] WithoutRequires(SieveScript script)
    {
        var octets = script.Octets.ToArray();
        foreach (var require in script.Commands.Where(c => c.Is("require")))
            for (var i = require.Start; i < require.After; i++)
                if (octets[i] is not ((byte)'\r' or (byte)'\n'))
                    octets[i] = (byte)' ';
        return octets;
    }

    private static string Quoted(string text) =>
        $"\"{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";
}
