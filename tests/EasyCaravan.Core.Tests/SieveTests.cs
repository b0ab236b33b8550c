using System.Text;
using CsCheck;
using EasyCaravan.Core.Formats.Sieve;

namespace EasyCaravan.Core.Tests;

/// <summary>Scripts of mail rules: read as they stand, and what we put before them.</summary>
public sealed class SieveTests
{
    private const string Large = """
        #
        # Example Sieve Filter
        require ["fileinto", "reject", "vacation", "include"];

        /* A comment; with "redirect :copy \"no@where.example\";" in it */
        if header :is "Sender" "owner-ietf-mta-filters@imc.example"
                {
                fileinto "filter";  # move to "filter" mailbox
                }
        elsif address :DOMAIN :is ["From", "To"] "saltmarsh.example"
                {
                keep;               # redirect "nobody@saltmarsh.example";
                }
        elsif anyof (NOT address :all :contains
                       ["To", "Cc", "Bcc"] "me@saltmarsh.example",
                     header :matches "subject"
                       ["*make*money*fast*", "*university*dipl*mas*"],
                     allof(size :over 500K, not exists "X-Tide"))
                {
                redirect :copy "shore@northquay.example";
                discard;
                }
        else
                {
                vacation :days 7 :addresses ["a@saltmarsh.example"] text:
        Gone to sea.
        ..
        redirect "nobody@saltmarsh.example";
        .
                ;
                reject "No \"thanks\"";
                }
        include :personal "more";
        redirect "always@northquay.example";
        redirect "${box}@northquay.example";
        """;

    private static SieveScript Parse(string text) => SieveScript.Parse(Encoding.UTF8.GetBytes(text.ReplaceLineEndings("\r\n")));

    [Fact]
    public void A_script_tells_where_it_sends_mail_and_what_else_it_does_and_comments_and_texts_tell_nothing()
    {
        var script = Parse(Large);
        Assert.Equal(["require", "if", "elsif", "elsif", "else", "include", "redirect", "redirect"], script.Commands.Select(c => c.Name));
        var facts = SieveFacts.Of(script);
        Assert.Equal(["fileinto", "reject", "vacation", "include"], facts.Requires);
        Assert.Equal(
            [
                new SieveRedirect("shore@northquay.example", true, false),
                new SieveRedirect("always@northquay.example", false, true),
                new SieveRedirect(null, false, true),
            ],
            facts.Redirects
        );
        Assert.Equal(["more"], facts.Includes);
        Assert.Equal((true, true, true, true), (facts.Answers, facts.Rejects, facts.Discards, facts.Files));
        var vacation = script.All().Single(c => c.Command.Is("vacation")).Command;
        Assert.Equal("Gone to sea.\r\n.\r\nredirect \"nobody@saltmarsh.example\";\r\n", vacation.LastTexts.Single());
    }

    [Theory]
    [InlineData("if true { keep;", "line 1: \"}\" is missing before the end")]
    [InlineData("keep\n}", "line 2: \";\" is missing before")]
    [InlineData("keep;\n/* never", "line 2: a comment has no end")]
    [InlineData("redirect \"open", "line 1: a text has no end")]
    [InlineData("vacation text: now\n.\n;", "line 1: a text of several lines")]
    [InlineData("vacation text:\nno end\n", "line 1: a text has no end")]
    [InlineData("fileinto [\"a\", ];", "line 1: a text is missing")]
    [InlineData("keep; }", "line 1: \"}\" does not belong here")]
    [InlineData("=", "line 1: \"=\" does not belong here")]
    public void What_is_no_script_is_refused_with_its_line(string text, string why)
    {
        var wrong = Assert.Throws<SieveException>(() => SieveScript.Parse(Encoding.UTF8.GetBytes(text)));
        Assert.StartsWith(why, wrong.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Whatever_octets_come_it_is_read_or_refused()
    {
        string[] pieces =
        [
            "if ",
            "anyof(",
            ")",
            "{",
            "}",
            "[",
            "]",
            "\"",
            "text:\n",
            ".\n",
            ";",
            ":copy ",
            "redirect ",
            "\\",
            "/*",
            "#",
            "é",
            "9K ",
        ];
        Gen.Int[0, pieces.Length - 1]
            .Select(i => pieces[i])
            .Array[0, 60]
            .Sample(parts =>
            {
                try
                {
                    SieveScript.Parse(Encoding.Latin1.GetBytes(string.Concat(parts)));
                }
                catch (SieveException e)
                {
                    Assert.True(e.Line >= 1);
                }
            });
        Assert.Throws<SieveException>(() => Parse(string.Concat(Enumerable.Repeat("if not ", 5000)) + "true { keep; }"));
        Assert.Throws<SieveException>(() => Parse(string.Concat(Enumerable.Repeat("if true {", 5000))));
    }

    [Fact]
    public void Forwarding_stands_before_the_own_rules_which_are_run_by_name_or_stand_below_octet_for_octet()
    {
        var own = Parse(Large);
        var included = SieveScript.Parse(ForwardingScript.Compose("my \"rules\"", null, "new@northquay.example", true));
        Assert.Equal(["require", "redirect", "include"], included.Commands.Select(c => c.Name));
        Assert.Equal([new SieveRedirect("new@northquay.example", true, true)], SieveFacts.Of(included).Redirects);
        Assert.Equal(["my \"rules\""], SieveFacts.Of(included).Includes);

        var octets = ForwardingScript.Compose(null, own, "new@northquay.example", false);
        var composed = SieveScript.Parse(octets);
        Assert.Equal(["fileinto", "reject", "vacation", "include"], SieveFacts.Of(composed).Requires);
        Assert.Equal("require", composed.Commands[0].Name);
        Assert.Single(composed.Commands, c => c.Is("require"));
        Assert.Equal(new SieveRedirect("new@northquay.example", false, true), SieveFacts.Of(composed).Redirects[0]);
        var body = own.Octets.Span[own.Commands[0].After..];
        Assert.True(octets.AsSpan().EndsWith(body));
        // Without rules of their own nothing else stands there.
        Assert.Equal(
            ["redirect"],
            SieveScript.Parse(ForwardingScript.Compose(null, null, "new@northquay.example", false)).Commands.Select(c => c.Name)
        );
    }
}
