using System.Collections.Immutable;

namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>Reads commands, arguments, tests and blocks (RFC 5228 §8.2).</summary>
internal sealed class SieveParser
{
    /// <summary>Servers allow some 15 blocks and tests within each other (RFC 5228 §2.10.5 asks for that many at least).</summary>
    private const int Deepest = 64;

    private readonly SieveLexer _lexer;
    private SieveToken _token;
    private int _deep;

    public SieveParser(SieveLexer lexer)
    {
        _lexer = lexer;
        _token = lexer.Next();
    }

    public ImmutableArray<SieveCommand> ReadAll()
    {
        var commands = ReadCommands();
        return _token.Kind is SieveTokenKind.End ? commands : throw Wrong($"{_token} does not belong here");
    }

    private SieveException Wrong(string what) => new(_lexer.LineOf(_token.Start), what);

    private SieveToken Take()
    {
        var taken = _token;
        _token = _lexer.Next();
        return taken;
    }

    private SieveToken Take(char mark) => _token.Is(mark) ? Take() : throw Wrong($"\"{mark}\" is missing before {_token}");

    private T Deeper<T>(Func<T> read)
    {
        if (++_deep > Deepest)
            throw Wrong($"more than {Deepest} blocks and tests stand within each other");
        var inner = read();
        _deep--;
        return inner;
    }

    private ImmutableArray<SieveCommand> ReadCommands()
    {
        var commands = ImmutableArray.CreateBuilder<SieveCommand>();
        while (_token.Kind is SieveTokenKind.Identifier)
            commands.Add(ReadCommand());
        return commands.ToImmutable();
    }

    private SieveCommand ReadCommand()
    {
        var name = Take();
        var (arguments, tests) = ReadArguments();
        if (!_token.Is('{'))
        {
            var end = Take(';');
            return new SieveCommand(name.Text, arguments, tests, null, name.Start, end.After);
        }
        Take('{');
        var block = Deeper(ReadCommands);
        var close = Take('}');
        return new SieveCommand(name.Text, arguments, tests, block, name.Start, close.After);
    }

    private (ImmutableArray<SieveArgument>, ImmutableArray<SieveTest>) ReadArguments()
    {
        var arguments = ImmutableArray.CreateBuilder<SieveArgument>();
        while (true)
        {
            switch (_token.Kind)
            {
                case SieveTokenKind.Tag:
                    arguments.Add(new SieveArgument.Tag(Take().Text));
                    continue;
                case SieveTokenKind.Number:
                    arguments.Add(new SieveArgument.Number(Take().Text));
                    continue;
                case SieveTokenKind.Text:
                    arguments.Add(new SieveArgument.Texts([Take().Text]));
                    continue;
                case SieveTokenKind.Mark when _token.Is('['):
                    arguments.Add(new SieveArgument.Texts(ReadTexts()));
                    continue;
                case SieveTokenKind.Identifier:
                    return (arguments.ToImmutable(), [Deeper(ReadTest)]);
                case SieveTokenKind.Mark when _token.Is('('):
                    return (arguments.ToImmutable(), Deeper(ReadTests));
                default:
                    return (arguments.ToImmutable(), []);
            }
        }
    }

    private ImmutableArray<string> ReadTexts()
    {
        Take('[');
        var texts = ImmutableArray.CreateBuilder<string>();
        while (true)
        {
            texts.Add(_token.Kind is SieveTokenKind.Text ? Take().Text : throw Wrong($"a text is missing before {_token}"));
            if (!_token.Is(','))
                break;
            Take();
        }
        Take(']');
        return texts.ToImmutable();
    }

    private SieveTest ReadTest()
    {
        var name = _token.Kind is SieveTokenKind.Identifier ? Take() : throw Wrong($"a test is missing before {_token}");
        var (arguments, tests) = ReadArguments();
        return new SieveTest(name.Text, arguments, tests);
    }

    private ImmutableArray<SieveTest> ReadTests()
    {
        Take('(');
        var tests = ImmutableArray.CreateBuilder<SieveTest>();
        while (true)
        {
            tests.Add(ReadTest());
            if (!_token.Is(','))
                break;
            Take();
        }
        Take(')');
        return tests.ToImmutable();
    }
}
