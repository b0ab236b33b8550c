using System.Collections.Immutable;

namespace EasyCaravan.Core.Ports;

/// <summary>
/// The flags and keywords of a message, without <c>\Recent</c>, which belongs to a session and not to the message (RFC 3501 §2.3.2).
/// </summary>
public sealed class FlagSet : IEquatable<FlagSet>
{
    private FlagSet(ImmutableArray<string> flags)
    {
        Flags = flags;
        Written = string.Join(' ', flags);
    }

    public static FlagSet Empty { get; } = new([]);

    /// <summary>Sorted, each once.</summary>
    public ImmutableArray<string> Flags { get; }

    /// <summary>The same with blanks between: the form in which the ledger keeps it.</summary>
    public string Written { get; }

    public static FlagSet Of(IEnumerable<string> flags)
    {
        // RFC 9051 §2.3.2: flags and keywords have no case.
        var set = flags
            .Where(f => !f.Equals("\\Recent", StringComparison.OrdinalIgnoreCase))
            .Distinct(StringComparer.OrdinalIgnoreCase)
            .Order(StringComparer.OrdinalIgnoreCase)
            .ToImmutableArray();
        return set.Length == 0 ? Empty : new FlagSet(set);
    }

    public static FlagSet Parse(string written) => Of(written.Split(' ', StringSplitOptions.RemoveEmptyEntries));

    /// <summary>The system flags alone: those that begin with a backslash (RFC 9051 §2.3.2).</summary>
    public FlagSet WithoutKeywords() => Flags.All(f => f[0] == '\\') ? this : Of(Flags.Where(f => f[0] == '\\'));

    public FlagSet Except(FlagSet other) => Of(Flags.Except(other.Flags, StringComparer.OrdinalIgnoreCase));

    public bool Equals(FlagSet? other) => other is not null && Written.Equals(other.Written, StringComparison.OrdinalIgnoreCase);

    public override bool Equals(object? obj) => Equals(obj as FlagSet);

    public override int GetHashCode() => Written.GetHashCode(StringComparison.OrdinalIgnoreCase);

    public override string ToString() => $"({Written})";
}
