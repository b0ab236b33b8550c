using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>How a service asks for the confirmation of an address to which it shall forward.</summary>
/// <param name="From">Part of the sender's address; null: any.</param>
/// <param name="Subject">Part of the subject; null: any.</param>
/// <param name="Code">The line that holds what is to be given back, with <c>{code}</c> in its place.</param>
/// <param name="Within">How long it may take until it is confirmed.</param>
public sealed record ForwardingConfirmation(string? From, string? Subject, string Code, Duration Within)
{
    /// <summary>Where the code can be given back without a person; null: nowhere.</summary>
    public Uri? HandBack { get; init; }

    /// <summary>Where the plan does not say.</summary>
    public static Duration UsualWithin { get; } = Duration.FromDays(1);
}
