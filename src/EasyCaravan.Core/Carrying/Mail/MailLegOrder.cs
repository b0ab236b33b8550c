using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>One side of a move: the service, and the credentials for it.</summary>
public sealed record Side(Service Service, Credentials Credentials);

/// <summary>All that the mail leg of a pass needs to know of its move.</summary>
/// <param name="IsFirst">No pass before it came to its end.</param>
/// <param name="Lanes">How many folders may be under way at the same time, each over a pair of connections of its own.</param>
public sealed record MailLegOrder(bool IsFirst, Side From, Side To, CarryRules Rules, int Lanes)
{
    /// <summary>Lanes of one move, where the services bear so many connections.</summary>
    public const int MostLanes = 2;

    public Allowance Allowance { get; init; } = Allowance.Unlimited;

    public RateLimiters RateLimiters { get; init; } = RateLimiters.Free;

    /// <summary>
    /// Set after repeated failures: the first messages are then carried one by one, to find the one that breaks the connection.
    /// </summary>
    public PoisonMessages? PoisonMessages { get; init; }

    /// <summary>When the first pass of the move began; null: it has not.</summary>
    public DateTimeOffset? Began { get; init; }

    /// <summary>Mail is forwarded to the new account, and its owner works there; null: it is not.</summary>
    public ForwardedMail? Forwarded { get; init; }

    public bool IsForwarded => Forwarded is not null;

    public TimeProvider Time { get; init; } = TimeProvider.System;

    /// <summary>Probes that may still stand in the old mailbox: they are no mail of the person.</summary>
    public IReadOnlySet<string> Probes { get; init; } = new HashSet<string>();

    /// <summary>Of a message's flags, those that the rules of the move carry.</summary>
    internal FlagSet CarriedFlags(FlagSet flags) => Rules.Mail.DropKeywords ? flags.WithoutKeywords() : flags;
}
