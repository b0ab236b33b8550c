using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>By which way a probe comes to the old address. Kept by number.</summary>
public enum ProbeWay
{
    /// <summary>From a sender outside of the old service.</summary>
    Outside,

    /// <summary>From another account of the old service: such mail often takes another way.</summary>
    Colleague,
}

/// <summary>What became of a probe. Kept by number: new ones come last.</summary>
public enum ProbeState
{
    /// <summary>About to be sent, or sent with nobody knowing whether it was taken.</summary>
    Planned,

    /// <summary>Its server has taken it.</summary>
    Sent,

    /// <summary>It takes longer than usual, and may still come.</summary>
    Late,

    /// <summary>It came as it was sent, into the inbox.</summary>
    Arrived,

    /// <summary>It came, and into a folder for junk.</summary>
    InJunk,

    /// <summary>It came, and its text is not what was sent.</summary>
    Altered,

    /// <summary>It came more than once.</summary>
    Twice,

    /// <summary>It did not come in the time that the plan gives it.</summary>
    Missing,

    /// <summary>Its server did not take it.</summary>
    Refused,
}

/// <summary>A real message to the old address, awaited at the new one.</summary>
/// <param name="MessageId">With a part that nobody can guess; without angle brackets.</param>
/// <param name="Sender">Whose address it comes from.</param>
/// <param name="PlannedAt">Written down before it is sent, so that it is looked for whatever happens then.</param>
/// <param name="Digest">Of its body, see <see cref="BodyDigest"/>.</param>
public sealed record Probe(long Id, ProbeWay Way, string MessageId, string Sender, Instant PlannedAt, UInt128 Digest)
{
    public ProbeState State { get; init; }

    public Instant? SentAt { get; init; }

    /// <summary>When it was first seen at the new address.</summary>
    public Instant? ArrivedAt { get; init; }

    /// <summary>Where it was seen there.</summary>
    public string? Folder { get; init; }

    /// <summary>When it was seen at the old address, where a copy stays; null: it was not.</summary>
    public Instant? KeptAt { get; init; }

    /// <summary>Since when it is gone from both sides; null: it may still be on one.</summary>
    public Instant? RemovedAt { get; init; }

    /// <summary>What a server said of it, or why it is as it is.</summary>
    public string? Said { get; init; }

    /// <summary>It is still awaited.</summary>
    public bool IsOpen => State is ProbeState.Planned or ProbeState.Sent or ProbeState.Late;

    public bool HasCome => State is ProbeState.Arrived or ProbeState.InJunk or ProbeState.Altered or ProbeState.Twice;

    /// <summary>What servers on the way add to it is not much.</summary>
    public static readonly ByteCount LargestOnArrival = new(32_000);

    /// <summary>A number that nobody can guess, under the sender's domain.</summary>
    public static string NewMessageId(string sender) =>
        $"probe.{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16))}@{sender[(sender.LastIndexOf('@') + 1)..]}";

    /// <summary>
    /// The message in full (RFC 5322). Plain text of short lines in US-ASCII, so that no server on the way has a reason to rewrite it.
    /// </summary>
    public static byte[] Compose(string messageId, string sender, string to, Instant at)
    {
        var text = new StringBuilder()
            .Append($"From: Easy Caravan <{sender}>\r\n")
            .Append($"To: <{to}>\r\n")
            .Append($"Date: {at.ToDateTimeUtc().ToString("ddd, dd MMM yyyy HH:mm:ss", CultureInfo.InvariantCulture)} +0000\r\n")
            .Append($"Message-ID: <{messageId}>\r\n")
            .Append($"Subject: Does mail to {to} arrive? ({messageId[6..14]})\r\n")
            // RFC 3834 §5: no machine shall answer it.
            .Append("Auto-Submitted: auto-generated\r\n")
            .Append("MIME-Version: 1.0\r\nContent-Type: text/plain; charset=us-ascii\r\n\r\n")
            .Append("This message checks that mail to your old address reaches your new account.\r\n")
            .Append("It was sent by the service that moves your mail, and is removed again by itself.\r\n")
            .Append("You need not do anything.\r\n\r\n")
            .Append($"{messageId}\r\n");
        return Encoding.ASCII.GetBytes(text.ToString());
    }

    public static UInt128 DigestOf(ReadOnlySpan<byte> message)
    {
        var digest = new BodyDigest();
        digest.Append(message);
        return digest.Value;
    }
}
