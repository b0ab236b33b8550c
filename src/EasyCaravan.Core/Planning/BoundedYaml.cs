using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// Loads YAML that somebody else wrote. The service and the client share it. Events are walked before anything is built: an alias within
/// its own anchor, or a text that is nested a hundred thousand times, would otherwise end the process, and aliases may grow a few octets to
/// any size.
/// </summary>
internal static class BoundedYaml
{
    /// <summary>Characters of one text.</summary>
    public const int Longest = 4 * 1024 * 1024;

    /// <summary>Mappings and lists within each other. A plan needs seven.</summary>
    public const int Deepest = 32;

    /// <summary>Scalars, lists and mappings together.</summary>
    private const int MostNodes = 500_000;

    /// <summary>The root of the only document; null where the text holds none.</summary>
    /// <exception cref="YamlException">
    /// It is not YAML, or not YAML of the kind that a plan needs. It tells the place and, in words, what is wrong.
    /// </exception>
    public static YamlNode? Load(string text)
    {
        if (text.Length > Longest)
            throw new YamlException(Mark.Empty, Mark.Empty, $"it is longer than {Longest / 1024 / 1024} MB");
        try
        {
            Check(new Parser(new StringReader(text)));
            var stream = new YamlStream();
            stream.Load(new StringReader(text));
            return stream.Documents.Count == 0 ? null : stream.Documents[0].RootNode;
        }
        catch (Exception e) when (e is InvalidOperationException or ArgumentException or FormatException)
        {
            // Quirk (the parser): some broken texts end it in an exception of another kind, without a place.
            throw new YamlException(Mark.Empty, Mark.Empty, "it cannot be parsed", e);
        }
    }

    private static void Check(Parser events)
    {
        // For each open mapping or list: whether the next node is a key; null in a list.
        var open = new Stack<bool?>();
        var (nodes, documents) = (0, 0);
        while (events.MoveNext())
        {
            switch (events.Current!)
            {
                case DocumentStart start when ++documents > 1:
                    throw Refused(start, "it holds more than one document");
                case AnchorAlias alias:
                    throw Refused(alias, "it holds an alias (*), which a plan does not need");
                case NodeEvent { Anchor.IsEmpty: false } anchored:
                    throw Refused(anchored, "it holds an anchor (&), which a plan does not need");
                case MappingEnd or SequenceEnd:
                    open.Pop();
                    break;
                case Scalar scalar when HasHalfCharacter(scalar.Value):
                    throw Refused(scalar, "it holds half of a character (a lone surrogate)");
                case NodeEvent node:
                    if (++nodes > MostNodes)
                        throw Refused(node, $"it holds more than {MostNodes} values");
                    Enter(node, open);
                    break;
            }
        }
    }

    /// <summary>It could be written to no file and no database.</summary>
    private static bool HasHalfCharacter(string text)
    {
        for (var i = 0; i < text.Length; i++)
        {
            if (!char.IsSurrogate(text[i]))
                continue;
            if (i + 1 == text.Length || !char.IsSurrogatePair(text[i], text[i + 1]))
                return true;
            i++;
        }
        return false;
    }

    private static void Enter(NodeEvent node, Stack<bool?> open)
    {
        if (open.TryPop(out var isKey))
        {
            if (isKey == true && node is not Scalar)
                throw Refused(node, "a key has to be a plain text");
            open.Push(isKey is { } was ? !was : null);
        }
        if (node is Scalar)
            return;
        if (open.Count == Deepest)
            throw Refused(node, $"it is nested more than {Deepest} times");
        open.Push(node is MappingStart ? true : null);
    }

    private static YamlException Refused(ParsingEvent at, string what) => new(at.Start, at.End, what);
}
