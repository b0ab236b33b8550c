using CsCheck;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Tests;

public sealed class FolderPathTests
{
    private static readonly Gen<string> Name = Gen.String[Gen.Char["abXY /\\.ü海&%*\"~"], 1, 8];

    [Fact]
    public void Whatever_the_names_the_written_form_reads_back_as_the_same_path() =>
        Name.Array[1, 5]
            .Sample(names =>
            {
                var path = FolderPath.Of(names);
                Assert.Equal(path, FolderPath.Parse(path.ToString()));
                Assert.Equal(path.Names, FolderPath.Parse(path.ToString()).Names);
            });

    [Theory]
    [InlineData("")]
    [InlineData("/Work")]
    [InlineData("Work//Old")]
    [InlineData("Work/")]
    public void What_is_no_path_is_refused(string written) => Assert.False(FolderPath.TryParse(written, out _));

    [Fact]
    public void The_inbox_has_no_case_but_folders_below_it_have()
    {
        Assert.True(FolderPath.Parse("iNbOx").IsInbox);
        Assert.Equal(FolderPath.Parse("Inbox/Old"), FolderPath.Parse("INBOX/Old"));
        Assert.NotEqual(FolderPath.Parse("INBOX/Old"), FolderPath.Parse("INBOX/old"));
    }
}
