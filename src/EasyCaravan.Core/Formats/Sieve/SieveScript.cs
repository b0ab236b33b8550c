using System.Collections.Immutable;
using System.Text;

namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>One argument: a tag, a number, or one or several texts.</summary>
public abstract record SieveArgument
{
    private SieveArgument() { }

    public sealed record Tag(string Name) : SieveArgument;

    public sealed record Number(string Text) : SieveArgument;

    public sealed record Texts(ImmutableArray<string> Values) : SieveArgument;
}

/// <summary>A test, with those that it holds itself, such as <c>not</c> and <c>anyof</c> do.</summary>
public sealed record SieveTest(string Name, ImmutableArray<SieveArgument> Arguments, ImmutableArray<SieveTest> Tests);

/// <summary>A command, with its tests and its block.</summary>
/// <param name="Block">Null: it ends with a semicolon.</param>
/// <param name="Start">Of its first octet in the script.</param>
/// <param name="After">Of the octet that follows it.</param>
public sealed record SieveCommand(
    string Name,
    ImmutableArray<SieveArgument> Arguments,
    ImmutableArray<SieveTest> Tests,
    ImmutableArray<SieveCommand>? Block,
    int Start,
    int After
)
{
    public bool Is(string name) => Name.Equals(name, StringComparison.OrdinalIgnoreCase);

    public bool Has(string tag) =>
        Arguments.Any(a => a is SieveArgument.Tag own && own.Name.Equals(tag, StringComparison.OrdinalIgnoreCase));

    /// <summary>The texts of its last argument that has any: what most actions act on stands there (RFC 5228 §2.6.1).</summary>
    public ImmutableArray<string> LastTexts => Arguments.OfType<SieveArgument.Texts>().LastOrDefault()?.Values ?? [];
}

/// <summary>A mail rule script (RFC 5228) as it stands, and what it says.</summary>
public sealed class SieveScript
{
    private SieveScript(ReadOnlyMemory<byte> octets, ImmutableArray<SieveCommand> commands) => (Octets, Commands) = (octets, commands);

    /// <summary>As the server keeps it.</summary>
    public ReadOnlyMemory<byte> Octets { get; }

    /// <summary>On the outermost level.</summary>
    public ImmutableArray<SieveCommand> Commands { get; }

    /// <exception cref="SieveException">It is no script of RFC 5228.</exception>
    public static SieveScript Parse(ReadOnlyMemory<byte> octets) =>
        new(octets, new SieveParser(new SieveLexer(Encoding.Latin1.GetString(octets.Span))).ReadAll());

    /// <summary>Every command, those in blocks too.</summary>
    /// <returns>Each with whether it always runs when the script does.</returns>
    public IEnumerable<(SieveCommand Command, bool Always)> All() => Walk(Commands, true);

    private static IEnumerable<(SieveCommand, bool)> Walk(ImmutableArray<SieveCommand> commands, bool always)
    {
        foreach (var command in commands)
        {
            yield return (command, always);
            if (command.Block is { } block)
                foreach (var inner in Walk(block, false))
                    yield return inner;
        }
    }
}
