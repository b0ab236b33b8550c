using EasyCaravan.Core.Formats;

namespace EasyCaravan.Core.Tests;

/// <summary>Text of others never steers what shows it, and what does no harm stays as it is.</summary>
public sealed class VisibleTextTests
{
    [Theory]
    [InlineData("Zoë 🚢 日本 العربية", "Zoë 🚢 日本 العربية")]
    [InlineData("می\u200Cخواهم 👩\u200D✈️", "می\u200Cخواهم 👩\u200D✈️")]
    [InlineData("\u001b[2J", "‹U+001B›[2J")]
    [InlineData("\u001b]52;c;cm0gLXJm\u0007", "‹U+001B›]52;c;cm0gLXJm‹U+0007›")]
    [InlineData("\u009b2J", "‹U+009B›2J")]
    [InlineData("a\r\n12:00:00 INF forged", "a‹U+000D›‹U+000A›12:00:00 INF forged")]
    [InlineData("a\u2028b\u0085c", "a‹U+2028›b‹U+0085›c")]
    [InlineData("invoice\u202Efdp.exe", "invoice‹U+202E›fdp.exe")]
    [InlineData("pay\u2066pal\u2069", "pay‹U+2066›pal‹U+2069›")]
    [InlineData("a\u200Bb\uFEFFc\u00ADd", "a‹U+200B›b‹U+FEFF›c‹U+00AD›d")]
    [InlineData("\0\u007f", "‹U+0000›‹U+007F›")]
    [InlineData("x\uDB40\uDC41", "x‹U+E0041›")]
    public void What_steers_is_shown(string text, string seen) => Assert.Equal(seen, VisibleText.Of(text));

    [Fact]
    public void Half_of_a_character_is_shown_as_such() => Assert.Equal("‹U+D800›x", VisibleText.Of("\uD800x"));

    [Fact]
    public void A_text_of_several_lines_keeps_its_lines() =>
        Assert.Equal("a\n\tb‹U+001B›", VisibleText.Of("a\n\tb\u001b", keepsLines: true));

    [Theory]
    [InlineData("=HYPERLINK(\"x\")", "'=HYPERLINK(\"x\")")]
    [InlineData("+1+cmd|'/c calc'!A0", "'+1+cmd|'/c calc'!A0")]
    [InlineData("@SUM(A1)", "'@SUM(A1)")]
    [InlineData("-2+3", "'-2+3")]
    [InlineData("\t=1", "'‹U+0009›=1")]
    [InlineData("\r=1", "'‹U+000D›=1")]
    [InlineData("-5", "-5")]
    [InlineData("-5.25", "-5.25")]
    [InlineData("+353 1", "'+353 1")]
    [InlineData("Aoife", "Aoife")]
    [InlineData("", "")]
    public void A_cell_is_no_formula(string text, string cell) => Assert.Equal(cell, VisibleText.OfCell(text));

    [Fact]
    public void Whatever_comes_nothing_that_steers_is_left()
    {
        var random = new Random(17);
        for (var round = 0; round < 2_000; round++)
        {
            var text = string.Concat(Enumerable.Range(0, 40).Select(_ => (char)random.Next(random.Next(2) == 0 ? 0x300 : 0x10000)));
            var seen = VisibleText.Of(text);
            Assert.DoesNotContain(seen, c => char.IsControl(c) || c is >= '\u2028' and <= '\u202E' or >= '\u2066' and <= '\u2069');
            // What is shown is shown as it is.
            Assert.Equal(seen, VisibleText.Of(seen));
        }
    }
}
