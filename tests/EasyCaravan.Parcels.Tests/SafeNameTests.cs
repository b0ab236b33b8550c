using CsCheck;

namespace EasyCaravan.Parcels.Tests;

public sealed class SafeNameTests
{
    [Fact]
    public void Any_name_becomes_one_that_is_safe_everywhere_and_stays_as_it_is() =>
        Gen.String.Sample(
            name =>
            {
                var safe = SafeName.Of(name);
                Assert.True(SafeName.IsSafePath($"mail/{safe}/1.eml"), safe);
                Assert.Equal(safe, SafeName.Of(safe));
                Assert.InRange(System.Text.Encoding.UTF8.GetByteCount(safe), 1, 130);
            },
            iter: 20_000
        );

    [Theory]
    [InlineData("Rosters & swaps", "Rosters & swaps")]
    [InlineData("航海日誌", "航海日誌")]
    [InlineData("a/b\\c:d", "a_b_c_d")]
    [InlineData("..", "_")]
    [InlineData(".hidden", "_hidden")]
    [InlineData("CON", "_CON")]
    [InlineData("com1.txt", "_com1.txt")]
    [InlineData("ends in dots. .", "ends in dots")]
    [InlineData("line\nend\u202E", "line_end_")]
    [InlineData("", "_")]
    [InlineData("   ", "_")]
    public void Names_that_mean_something_else_somewhere_are_changed(string name, string safe) => Assert.Equal(safe, SafeName.Of(name));

    [Theory]
    [InlineData("/etc/passwd")]
    [InlineData("mail/../../etc/passwd")]
    [InlineData("mail//1.eml")]
    [InlineData("mail/./1.eml")]
    [InlineData("C:/mail/1.eml")]
    [InlineData("mail\\1.eml")]
    [InlineData("mail/NUL")]
    [InlineData("mail/aux.eml")]
    [InlineData("mail/1.eml ")]
    [InlineData("")]
    public void Paths_that_lead_elsewhere_are_refused(string path) => Assert.False(SafeName.IsSafePath(path));

    [Fact]
    public void Two_names_never_differ_by_case_alone()
    {
        var taken = new HashSet<string>(StringComparer.OrdinalIgnoreCase) { "Sent" };
        Assert.Equal("SENT~2", SafeName.Unique("SENT", taken.Contains));
    }
}
