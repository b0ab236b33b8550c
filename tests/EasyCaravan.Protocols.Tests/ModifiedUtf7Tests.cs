using CsCheck;
using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Protocols.Tests;

public sealed class ModifiedUtf7Tests
{
    [Theory]
    [InlineData("INBOX", "INBOX")]
    [InlineData("Ropes & tides", "Ropes &- tides")]
    [InlineData("~peter/mail/台北/日本語", "~peter/mail/&U,BTFw-/&ZeVnLIqe-")]
    [InlineData("März", "M&AOQ-rz")]
    [InlineData("😀", "&2D3eAA-")]
    public void Names_are_written_as_the_standard_says(string name, string written)
    {
        Assert.Equal(written, ModifiedUtf7.Encode(name));
        Assert.True(ModifiedUtf7.TryDecode(written, out var read));
        Assert.Equal(name, read);
    }

    [Fact]
    public void Any_name_comes_back() =>
        Gen.String[Gen.OneOf(Gen.Char["abc &-,/~"], Gen.Char['\u0080', '\ud7ff']), 0, 20]
            .Sample(name =>
            {
                Assert.True(ModifiedUtf7.TryDecode(ModifiedUtf7.Encode(name), out var read));
                Assert.Equal(name, read);
            });

    [Theory]
    [InlineData("&broken")]
    [InlineData("&!!!-")]
    [InlineData("&AA-")]
    [InlineData("M\u00e4rz")]
    [InlineData("&AGE-")] // an 'a' that should have been written as itself
    public void What_no_name_is_written_as_is_not_decoded(string written) => Assert.False(ModifiedUtf7.TryDecode(written, out _));
}
