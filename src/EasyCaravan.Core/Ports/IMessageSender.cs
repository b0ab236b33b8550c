using EasyCaravan.Core.Notifying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>A letter on its way to one recipient.</summary>
/// <param name="MessageId">Without angle brackets; the same however often it is tried.</param>
public sealed record OutgoingLetter(string MessageId, string From, string? ReplyTo, string To, string Language, Letter Letter);

/// <summary>What became of a letter.</summary>
public abstract record LetterEnd
{
    private LetterEnd() { }

    /// <summary>The server has taken it, and answers for it.</summary>
    public sealed record Taken(string Answer) : LetterEnd;

    /// <summary>The server does not take it, and will not.</summary>
    public sealed record Refused(Fault Fault) : LetterEnd;

    /// <summary>It was surely not taken: to try again later sends nothing twice.</summary>
    public sealed record NotNow(Fault Fault) : LetterEnd;

    /// <summary>It was handed over whole, and the answer never came: nobody knows whether it was taken.</summary>
    public sealed record Unclear(Fault Fault) : LetterEnd;
}

/// <summary>Sends letters over a signed-in session. Not for use by two at a time.</summary>
public interface IMessageSender : IAsyncDisposable
{
    /// <param name="beforeData">
    /// Called right before the letter itself is handed over. Where it says false nothing is handed over: somebody else has the letter.
    /// </param>
    Task<LetterEnd> SendAsync(OutgoingLetter letter, Func<CancellationToken, Task<bool>> beforeData, CancellationToken cancel);

    /// <summary>Sends a message as it is (RFC 5322), octet for octet.</summary>
    Task<LetterEnd> SendOctetsAsync(string from, string to, ReadOnlyMemory<byte> message, CancellationToken cancel);
}

/// <summary>Opens sessions for sending.</summary>
public interface IMessageSenders
{
    /// <param name="secret">With which the sender signs in; null where no sign-in is asked for.</param>
    /// <exception cref="FaultException">It could not be had.</exception>
    Task<IMessageSender> OpenAsync(Notices notices, string? secret, CancellationToken cancel);

    /// <summary>As somebody of a service that says where its people send.</summary>
    /// <exception cref="FaultException">It could not be had.</exception>
    Task<IMessageSender> OpenAsync(Service service, Credentials who, CancellationToken cancel);
}
