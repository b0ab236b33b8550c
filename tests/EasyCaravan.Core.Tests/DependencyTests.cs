namespace EasyCaravan.Core.Tests;

/// <summary>The dependency rule of the house, held by what the projects really refer to.</summary>
public sealed class DependencyTests
{
    private static readonly string Root = FindRoot();

    [Theory]
    [InlineData("Core", "")]
    [InlineData("Contract", "")]
    [InlineData("StandIns", "")]
    [InlineData("Protocols", "Core")]
    [InlineData("Store", "Core")]
    [InlineData("Cli", "Contract")]
    [InlineData("Service", "Contract Core Protocols StandIns Store")]
    public void A_project_refers_only_to_what_the_rule_allows(string project, string allowed)
    {
        var file = File.ReadAllText(Path.Combine(Root, "src", $"EasyCaravan.{project}", $"EasyCaravan.{project}.csproj"));
        var refers = System.Text.RegularExpressions.Regex.Matches(file, @"ProjectReference Include=""[^""]*EasyCaravan\.(\w+)\.csproj").Select(m => m.Groups[1].Value).Order();
        Assert.Equal(allowed.Split(' ', StringSplitOptions.RemoveEmptyEntries), refers);
    }

    [Fact]
    public void The_core_knows_no_network_database_web_or_console()
    {
        var names = typeof(EasyCaravan.Core.Carrying.Pass).Assembly.GetReferencedAssemblies().Select(a => a.Name!).ToList();
        Assert.DoesNotContain(names, n => n.StartsWith("System.Net", StringComparison.Ordinal) || n.StartsWith("Microsoft.EntityFrameworkCore", StringComparison.Ordinal)
            || n.StartsWith("Microsoft.AspNetCore", StringComparison.Ordinal) || n is "System.Console" or "MailKit" or "MimeKit");
    }

    [Fact]
    public void Every_path_on_the_flow_page_is_there()
    {
        var page = File.ReadAllText(Path.Combine(Root, "docs", "flow.md"));
        Assert.True(page.Split('\n').Length <= 60, "docs/flow.md is one page: 60 lines");
        var paths = System.Text.RegularExpressions.Regex.Matches(page, @"`((?:src|console|demo|tests|bench)/[^`]+)`").Select(m => m.Groups[1].Value).ToList();
        Assert.NotEmpty(paths);
        Assert.DoesNotContain(paths, p => !Path.Exists(Path.Combine(Root, p)));
    }

    private static string FindRoot()
    {
        var folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "EasyCaravan.slnx"))) folder = Path.GetDirectoryName(folder)!;
        return folder;
    }
}
