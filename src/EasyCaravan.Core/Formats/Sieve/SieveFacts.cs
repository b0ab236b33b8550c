using System.Collections.Immutable;

namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>A redirect of a script (RFC 5228 §4.2).</summary>
/// <param name="To">Null: the address is worked out for each message (RFC 5229).</param>
/// <param name="Copies">The mailbox keeps the message all the same (RFC 3894).</param>
/// <param name="Always">It runs for every message that reaches it; else it stands under a condition.</param>
public sealed record SieveRedirect(string? To, bool Copies, bool Always);

/// <summary>What a script does with mail, as far as it concerns a move.</summary>
/// <param name="Requires">The extensions that it names (RFC 5228 §3.2).</param>
/// <param name="Includes">Scripts of the person that it runs too (RFC 6609).</param>
/// <param name="Rejects">It sends mail back (RFC 5429).</param>
/// <param name="Discards">It throws mail away.</param>
/// <param name="Files">It sorts mail into folders.</param>
/// <param name="Answers">It answers by itself, such as during holidays (RFC 5230).</param>
public sealed record SieveFacts(
    ImmutableArray<string> Requires,
    ImmutableArray<SieveRedirect> Redirects,
    ImmutableArray<string> Includes,
    bool Answers,
    bool Rejects,
    bool Discards,
    bool Files
)
{
    /// <summary>Where mail may be sent on to, each once; addresses that are worked out for each message are left out.</summary>
    public ImmutableArray<string> Addresses => [.. Redirects.Select(r => r.To).OfType<string>().Distinct(StringComparer.OrdinalIgnoreCase)];

    public static SieveFacts None { get; } = new([], [], [], false, false, false, false);

    /// <summary>Of two scripts that run together.</summary>
    public SieveFacts With(SieveFacts other) =>
        new(
            [.. Requires.Union(other.Requires)],
            [.. Redirects.Union(other.Redirects)],
            [.. Includes.Union(other.Includes)],
            Answers || other.Answers,
            Rejects || other.Rejects,
            Discards || other.Discards,
            Files || other.Files
        );

    public static SieveFacts Of(SieveScript script)
    {
        var all = script.All().ToList();
        return new SieveFacts(
            [.. all.Where(c => c.Command.Is("require")).SelectMany(c => c.Command.LastTexts).Distinct()],
            [.. all.Where(c => c.Command.Is("redirect")).SelectMany(c => RedirectsOf(c.Command, c.Always)).Distinct()],
            [.. all.Where(c => c.Command.Is("include")).SelectMany(c => c.Command.LastTexts).Distinct()],
            Answers: Any("vacation") || Any("notify"),
            Rejects: Any("reject") || Any("ereject"),
            Discards: Any("discard"),
            Files: Any("fileinto")
        );

        bool Any(string name) => all.Exists(c => c.Command.Is(name));
    }

    private static IEnumerable<SieveRedirect> RedirectsOf(SieveCommand redirect, bool always) =>
        redirect.LastTexts.Select(to => new SieveRedirect(
            to.Contains("${", StringComparison.Ordinal) ? null : to.Trim(),
            redirect.Has("copy"),
            always
        ));
}
