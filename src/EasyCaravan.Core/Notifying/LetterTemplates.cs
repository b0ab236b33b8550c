using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Text.Encodings.Web;
using EasyCaravan.Core.Planning;
using Fluid;
using Fluid.Ast;

namespace EasyCaravan.Core.Notifying;

/// <summary>A letter, ready to be sent.</summary>
public sealed record Letter(string Subject, string Text, string Html);

/// <summary>
/// Writes letters from templates in the Liquid language: ours, or those that a plan puts in their place. The first line of a text is its
/// subject. The page beside it is made of the same text, unless there is a page of its own.
/// </summary>
public static class LetterTemplates
{
    private const string Frame = "letter.html";
    private const string SubjectWord = "Subject:";

    /// <summary>Steps of a template and octets of a letter: one that is written wrongly ends, and fills no memory.</summary>
    private const int MostSteps = 100_000;

    private static readonly FluidParser s_parser = new();
    private static readonly ConcurrentDictionary<string, IFluidTemplate> s_parsed = new();

    /// <summary>In which letters are written.</summary>
    public static IReadOnlyList<string> Languages { get; } = ["en", "de", "fr"];

    /// <summary>What a template may be called.</summary>
    public static IReadOnlyCollection<string> Names { get; } =
        NoticeEvents
            .All.SelectMany(e => Languages.SelectMany(l => new[] { $"{KebabWord.Of(e)}.{l}.txt", $"{KebabWord.Of(e)}.{l}.html" }))
            .Append(Frame)
            .ToFrozenSet();

    /// <summary>What is wrong with a template; null: nothing that can be seen before it is used.</summary>
    public static string? ErrorIn(string name, string text)
    {
        if (!s_parser.TryParse(text, out var template, out var error))
            return error;
        var ranges = new RangeSearch();
        ranges.VisitTemplate(template);
        if (ranges.HasFound)
            return "ranges such as (1..9) are not taken, because a long one fills the memory; go through a list of facts instead";
        return
            name.EndsWith(".txt", StringComparison.Ordinal) && !text.TrimStart('\uFEFF').StartsWith(SubjectWord, StringComparison.Ordinal)
            ? $"its first line has to begin with '{SubjectWord}'"
            : null;
    }

    /// <param name="facts">What the template may tell, by name.</param>
    /// <param name="own">Templates in place of ours; the first that has one counts.</param>
    public static async Task<Letter> WriteAsync(
        NoticeEvent about,
        string language,
        IReadOnlyDictionary<string, object?> facts,
        params IReadOnlyList<OwnTemplates> own
    )
    {
        var name = $"{KebabWord.Of(about)}.{language}";
        var written = (await RenderAsync($"{name}.txt", facts, NullEncoder.Default, own))!.TrimStart('\uFEFF').ReplaceLineEndings("\n");
        var end = written.IndexOf('\n', StringComparison.Ordinal);
        var first = end < 0 ? written : written[..end];
        // A name may hold a line end: a subject is one line (RFC 5322 §2.2).
        var subject = new string([.. first[SubjectWord.Length..].Trim().Where(c => !char.IsControl(c))]);
        var text = (end < 0 ? "" : written[(end + 1)..]).Trim('\n') + "\n";
        var more = new Dictionary<string, object?>(facts)
        {
            ["subject"] = subject,
            ["language"] = language,
            ["parts"] = PartsOf(text),
        };
        var html = await RenderAsync($"{name}.html", more, HtmlEncoder.Default, own)
            ?? await RenderAsync(Frame, more, HtmlEncoder.Default, own);
        return new Letter(subject, text, html!);
    }

    private static async Task<string?> RenderAsync(
        string name,
        IReadOnlyDictionary<string, object?> facts,
        TextEncoder encoder,
        IReadOnlyList<OwnTemplates> own
    )
    {
        var text = own.Select(o => o.Texts.GetValueOrDefault(name)).FirstOrDefault(t => t is not null) ?? Ours(name);
        if (text is null)
            return null;
        var template = s_parsed.GetOrAdd(text, t => s_parser.Parse(t));
        var context = new TemplateContext(new TemplateOptions { MaxSteps = MostSteps });
        foreach (var (key, value) in facts)
            context.SetValue(key, value);
        return await template.RenderAsync(context, encoder);
    }

    /// <summary>A range is made whole before the first step is counted, however long it is.</summary>
    private sealed class RangeSearch : AstVisitor
    {
        public bool HasFound { get; private set; }

        protected override Expression VisitRangeExpression(RangeExpression rangeExpression)
        {
            HasFound = true;
            return rangeExpression;
        }
    }

    private static string? Ours(string name)
    {
        using var stream = typeof(LetterTemplates).Assembly.GetManifestResourceStream($"letters/{name}");
        if (stream is null)
            return null;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }

    /// <summary>Paragraphs and lists of a text, for the page.</summary>
    private static List<Dictionary<string, object>> PartsOf(string text)
    {
        var parts = new List<Dictionary<string, object>>();
        foreach (var paragraph in text.Split("\n\n", StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
        {
            var lines = new List<string>();
            var isList = false;
            void End()
            {
                if (lines.Count > 0)
                    parts.Add(new Dictionary<string, object> { [isList ? "list" : "lines"] = lines });
                lines = [];
            }
            foreach (var line in paragraph.Split('\n', StringSplitOptions.RemoveEmptyEntries))
            {
                var isItem = line.StartsWith("- ", StringComparison.Ordinal);
                if (isItem != isList)
                    End();
                isList = isItem;
                lines.Add(isItem ? line[2..] : line);
            }
            End();
        }
        return parts;
    }
}
