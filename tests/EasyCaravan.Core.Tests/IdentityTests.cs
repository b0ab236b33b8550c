using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;

namespace EasyCaravan.Core.Tests;

public sealed class IdentityTests
{
    private static Identity Of(string header) => Identity.Of(Encoding.Latin1.GetBytes(header));

    private static readonly Gen<string> Value = Gen.String[Gen.Char["abc<>@ .é"], 1, 20].Where(v => v.Trim().Length > 0);

    [Fact]
    public void The_order_of_the_fields_their_folding_and_their_case_do_not_matter() =>
        Gen.Select(Value, Value, Value, Value)
            .Sample(
                (id, date, from, subject) =>
                {
                    var one = Of($"Message-ID: {id}\r\nDate: {date}\r\nFrom: {from}\r\nSubject: {subject}\r\n\r\n");
                    var other = Of(
                        $"subject:\t{subject.Replace(" ", "\r\n  ", StringComparison.Ordinal)}\r\nFROM: {from} \r\nmessage-id:{id}\r\n"
                            + $"Date:  {date}\r\n"
                    );
                    Assert.Equal(one, other);
                    Assert.True(one.Certain);
                }
            );

    [Fact]
    public void Any_difference_in_one_of_the_four_makes_another_message() =>
        Gen.Select(Value, Value, Gen.Int[0, 3])
            .Where((a, b, _) => Squeeze(a) != Squeeze(b))
            .Sample(
                (a, b, which) =>
                {
                    string Header(string changed) =>
                        string.Concat(
                            new[] { "Message-ID", "Date", "From", "Subject" }.Select(
                                (f, i) => $"{f}: {(i == which ? changed : "same")}\r\n"
                            )
                        );
                    Assert.NotEqual(Of(Header(a)).Print, Of(Header(b)).Print);
                }
            );

    [Fact]
    public void A_value_in_another_field_is_another_message() =>
        Assert.NotEqual(Of("From: x\r\nSubject: y\r\n").Print, Of("From: y\r\nSubject: x\r\n").Print);

    [Theory]
    [InlineData("Subject: only\r\n")]
    [InlineData("Message-ID:   \r\nSubject: empty id\r\n")]
    [InlineData("")]
    [InlineData("no colon at all")]
    [InlineData("\r\n\r\n")]
    public void Without_a_message_id_nothing_is_certain(string header) => Assert.False(Of(header).Certain);

    [Fact]
    public void Of_a_field_that_stands_twice_the_first_counts() =>
        Assert.Equal(Of("Message-ID: <1>\r\n"), Of("Message-ID: <1>\r\nMessage-ID: <2>\r\n"));

    [Fact]
    public void A_body_digest_does_not_see_the_pieces_the_header_or_how_lines_end() =>
        Gen.Select(Gen.String[Gen.Char["ab\n"], 0, 60], Gen.Int[1, 7])
            .Sample(
                (body, size) =>
                {
                    Assert.Equal(
                        Digest("Received: x\r\nSubject: s\r\n\r\n" + body.Replace("\n", "\r\n", StringComparison.Ordinal), 1000),
                        Digest("Subject: s\n\n" + body, size)
                    );
                }
            );

    [Fact]
    public void Another_body_has_another_digest() => Assert.NotEqual(Digest("A: b\r\n\r\none", 9), Digest("A: b\r\n\r\ntwo", 9));

    [Fact]
    public void A_nul_that_a_server_keeps_as_0x80_is_the_same_body() =>
        Assert.Equal(Digest("A: b\n\nx\0y", 3), Digest("A: b\n\nx\u0080y", 50));

    [Theory]
    [InlineData("one\r\ntwo", "one\ntwo\n", true)]
    [InlineData("one\r\ntwo\r\n", "one\ntwo", true)]
    [InlineData("one\n\n", "one\n", false)]
    [InlineData("one\n\ntwo", "one\ntwo", false)]
    [InlineData("\none", "one", false)]
    public void The_end_that_a_server_gives_to_the_last_line_is_the_same_body(string here, string there, bool same)
    {
        foreach (var pieces in new[] { 1, 3, 100 })
            Assert.Equal(same, Digest("A: b\r\n\r\n" + here, pieces) == Digest("A: b\r\n\r\n" + there, 100));
    }

    private static string Squeeze(string value) => string.Join(' ', value.Split(' ', StringSplitOptions.RemoveEmptyEntries));

    private static UInt128 Digest(string message, int pieces)
    {
        var digest = new BodyDigest();
        foreach (var piece in Encoding.Latin1.GetBytes(message).Chunk(pieces))
            digest.Append(piece);
        return digest.Value;
    }
}
