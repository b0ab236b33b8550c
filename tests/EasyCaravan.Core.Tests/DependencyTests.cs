namespace EasyCaravan.Core.Tests;

/// <summary>The dependency rules between the projects, checked against their compiled references.</summary>
public sealed class DependencyTests
{
    private static readonly string Root = FindRoot();

    [Theory]
    [InlineData("Core", "")]
    [InlineData("Contract", "")]
    [InlineData("StandIns", "")]
    [InlineData("Parcels", "Contract")]
    [InlineData("Protocols", "Core Parcels")]
    [InlineData("Store", "Core")]
    [InlineData("Cli", "Contract Parcels")]
    [InlineData("Service", "Contract Core Protocols StandIns Store")]
    public void A_project_refers_only_to_what_the_rule_allows(string project, string allowed)
    {
        var file = File.ReadAllText(Path.Combine(Root, "src", $"EasyCaravan.{project}", $"EasyCaravan.{project}.csproj"));
        var refers = System
            .Text.RegularExpressions.Regex.Matches(file, @"ProjectReference Include=""[^""]*EasyCaravan\.(\w+)\.csproj")
            .Select(m => m.Groups[1].Value)
            .Order();
        Assert.Equal(allowed.Split(' ', StringSplitOptions.RemoveEmptyEntries), refers);
    }

    [Fact]
    public void The_core_knows_no_network_database_web_or_console()
    {
        var names = typeof(EasyCaravan.Core.Carrying.Pass).Assembly.GetReferencedAssemblies().Select(a => a.Name!).ToList();
        Assert.DoesNotContain(names, n =>
            n.StartsWith("System.Net", StringComparison.Ordinal)
            || n.StartsWith("Microsoft.EntityFrameworkCore", StringComparison.Ordinal)
            || n.StartsWith("Microsoft.AspNetCore", StringComparison.Ordinal)
            || n is "System.Console" or "MailKit"
        );
    }

    [Theory]
    [InlineData("flow.md")]
    [InlineData("flow-collections.md")]
    public void Every_path_on_a_flow_page_is_there(string page)
    {
        var text = File.ReadAllText(Path.Combine(Root, "docs", page));
        Assert.True(text.Split('\n').Length <= 60, $"docs/{page} is one page: 60 lines");
        var paths = System
            .Text.RegularExpressions.Regex.Matches(text, @"`((?:src|console|demo|tests|bench)/[^`]+)`")
            .Select(m => m.Groups[1].Value)
            .ToList();
        Assert.NotEmpty(paths);
        Assert.DoesNotContain(paths, p => !Path.Exists(Path.Combine(Root, p)));
    }

    [Theory]
    [InlineData("flow.md")]
    [InlineData("flow-collections.md")]
    public void Every_method_on_a_flow_page_is_in_its_file(string page)
    {
        var stages = File.ReadAllLines(Path.Combine(Root, "docs", page))
            .Select(l => l.Split('|'))
            .Where(c => c.Length == 6 && c[3].Contains('`'))
            .ToList();
        Assert.NotEmpty(stages);
        foreach (var cells in stages)
        {
            var (methods, files) = (Quoted(cells[3]), Quoted(cells[4]));
            Assert.Equal(files.Select(f => Path.GetFileName(f).Split('.')[0]), methods.Select(m => m.Split('.')[0]));
            foreach (var (method, file) in methods.Zip(files))
            {
                var name = method.Split('.')[1];
                // The method is declared there, not only called.
                Assert.Matches($@"(public|private|internal)[^;={{}}\n]* {name}\(", File.ReadAllText(Path.Combine(Root, file)));
            }
        }

        static List<string> Quoted(string cell) =>
            [.. System.Text.RegularExpressions.Regex.Matches(cell, "`([^`]+)`").Select(m => m.Groups[1].Value)];
    }

    [Fact]
    public void Every_standard_that_the_code_cites_is_on_the_page_of_standards()
    {
        var page = File.ReadAllText(Path.Combine(Root, "docs", "rfc.md"));
        var listed = System.Text.RegularExpressions.Regex.Matches(page, @"\b\d{4}\b").Select(m => m.Value).ToHashSet();
        var cited = Directory
            .GetFiles(Path.Combine(Root, "src"), "*.cs", SearchOption.AllDirectories)
            .SelectMany(f =>
                System.Text.RegularExpressions.Regex.Matches(File.ReadAllText(f), @"RFC (\d{4})").Select(m => m.Groups[1].Value)
            )
            .ToHashSet();
        Assert.Empty(cited.Except(listed).Order());
    }

    [Fact]
    public void Lines_end_at_140_characters()
    {
        var files = new[] { "src", "tests", "bench", "console/src" }
            .SelectMany(folder => Directory.GetFiles(Path.Combine(Root, folder), "*", SearchOption.AllDirectories))
            .Where(f => Path.GetExtension(f) is ".cs" or ".ts" or ".tsx" or ".css" && !IsGenerated(f));
        Assert.Empty(
            files
                .SelectMany(f => File.ReadLines(f).Select((line, i) => (line, Place: $"{Path.GetRelativePath(Root, f)}:{i + 1}")))
                .Where(l => l.line.Length > 140)
                .Select(l => l.Place)
        );

        static bool IsGenerated(string file) =>
            file.Contains("/Migrations/", StringComparison.Ordinal) || file.EndsWith("/api-schema.ts", StringComparison.Ordinal);
    }

    private static string FindRoot()
    {
        var folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "EasyCaravan.slnx")))
            folder = Path.GetDirectoryName(folder)!;
        return folder;
    }
}
