using System.Text;
using CsCheck;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Tests;

/// <summary>YAML that somebody wrote to do harm gets an error with its place, and does none.</summary>
public sealed class BoundedYamlTests
{
    [Theory]
    [InlineData("? &k [*k]\n: x", "anchor")]
    [InlineData("- &a [*a]", "anchor")]
    [InlineData("a: *b", "alias")]
    [InlineData("[a]: b", "key")]
    [InlineData("{a: b}: c", "key")]
    [InlineData("a: 1\n---\nb: 2", "more than one document")]
    public void What_a_plan_does_not_need_is_refused_with_its_line(string text, string named)
    {
        var error = Assert.Single(PlanFile.Read(new PlanBundle("plan.yaml", text, new Dictionary<string, string>())).Errors);
        Assert.Contains(named, error.What, StringComparison.Ordinal);
        Assert.InRange(error.Line, 1, 3);
        Assert.Throws<FormatException>(() => PlanText.WithFolderRules("routes: {a: {from: x, to: y}}", "a", text));
    }

    [Theory]
    [InlineData('[', 100_000)]
    [InlineData('{', 100_000)]
    [InlineData('[', 33)]
    public void What_is_nested_too_deep_is_refused_before_anything_is_built(char open, int times) =>
        Assert.Contains(PlanFile.Read(new PlanBundle("plan.yaml", new string(open, times), new Dictionary<string, string>())).Errors, e =>
            e.What.Contains("nested", StringComparison.Ordinal) || e.What.Contains("key", StringComparison.Ordinal)
        );

    [Fact]
    public void Aliases_that_grow_are_refused_at_once()
    {
        var text = new StringBuilder("a0: &a0 [x]\n");
        for (var i = 1; i < 30; i++)
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"a{i}: &a{i} [*a{i - 1}, *a{i - 1}]\n");
        Assert.Single(PlanFile.Read(new PlanBundle("plan.yaml", text.ToString(), new Dictionary<string, string>())).Errors);
    }

    [Fact]
    public void A_text_without_end_is_refused()
    {
        var long_ = new string('a', (4 * 1024 * 1024) + 1);
        Assert.Contains(
            "longer",
            Assert.Single(PlanFile.Read(new PlanBundle("plan.yaml", long_, new Dictionary<string, string>())).Errors).What,
            StringComparison.Ordinal
        );
    }

    private static readonly string[] s_pieces =
    [
        "a",
        "b: ",
        "- ",
        "\n",
        "  ",
        "[",
        "]",
        "{",
        "}",
        ", ",
        ": ",
        "? ",
        "&x ",
        "*x",
        "!!str ",
        "|\n",
        ">\n",
        "\"",
        "'",
        "#",
        "---\n",
        "...\n",
        "%YAML 1.2\n",
        "\t",
        "\u0000",
        "\ud800",
        "services:\n",
        "routes: {r: {from: a, to: b}}\n",
    ];

    /// <summary>Pieces from which YAML is made, put together at random; CARAVAN_FUZZ gives another count of texts.</summary>
    [Fact]
    public void Whatever_stands_in_a_plan_it_is_read_or_refused_and_nothing_else() =>
        Gen.Int[0, s_pieces.Length - 1]
            .Array[0, 60]
            .Sample(
                pieces =>
                    Assert.NotEmpty(
                        PlanFile
                            .Read(
                                new PlanBundle(
                                    "plan.yaml",
                                    string.Concat(pieces.Select(i => s_pieces[i])),
                                    new Dictionary<string, string>()
                                )
                            )
                            .Errors
                    ),
                iter: int.TryParse(Environment.GetEnvironmentVariable("CARAVAN_FUZZ"), out var texts) ? texts : 3_000
            );

    [Fact]
    public void A_plan_tells_what_it_changes_beside_its_people()
    {
        const string Before =
            "services:\n  a: {mail: {speaks: imap, host: h}}\nroutes:\n  r: {from: a, to: b, doubles: pair}\nbatches:\n"
            + "  x: {route: r, roster: x.csv}\n";
        var after = Before
            .Replace("doubles: pair", "old-side: delete-after-proof", StringComparison.Ordinal)
            .Replace("  x: {", "  y: {", StringComparison.Ordinal);
        Assert.Equal(["route r: doubles, old-side changed", "batch y is new", "batch x is gone"], PlanChanges.Between(Before, after));
        Assert.Empty(PlanChanges.Between(Before, Before + "# a comment\n"));
    }
}
