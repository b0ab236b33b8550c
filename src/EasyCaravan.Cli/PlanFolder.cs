using EasyCaravan.Core.Planning;

namespace EasyCaravan.Cli;

/// <summary>
/// The folder of a plan file. Files are read from below it alone: a plan that somebody else wrote shall not have the client send a file of
/// this machine to the service.
/// </summary>
internal sealed class PlanFolder(string planFile)
{
    public string Path { get; } = System.IO.Path.GetDirectoryName(System.IO.Path.GetFullPath(planFile))!;

    /// <param name="name">As the plan names it.</param>
    /// <param name="place">Where the plan names it, as in <c>plan.yaml:12</c>.</param>
    /// <returns>Null: there is no such file.</returns>
    /// <exception cref="CommandException">It lies elsewhere.</exception>
    public string? Find(string name, string place)
    {
        if (!FileGlob.IsBelow(name))
            throw Elsewhere(name, place);
        var path = System.IO.Path.Combine(Path, name);
        if (!File.Exists(path))
            return null;
        var real = RealPath(path);
        return real.StartsWith(RealPath(Path).TrimEnd('/') + "/", StringComparison.Ordinal) ? real : throw Elsewhere(name, place);
    }

    /// <summary>All files below a folder of it, links to folders left out: they may lead anywhere, also in a circle.</summary>
    public static IEnumerable<string> FilesBelow(string folder) =>
        new System.IO.Enumeration.FileSystemEnumerable<string>(
            folder,
            (ref entry) => entry.ToFullPath(),
            new EnumerationOptions { RecurseSubdirectories = true, AttributesToSkip = 0 }
        )
        {
            ShouldIncludePredicate = (ref entry) => !entry.IsDirectory,
            ShouldRecursePredicate = (ref entry) => !entry.Attributes.HasFlag(FileAttributes.ReparsePoint),
        };

    private CommandException Elsewhere(string name, string place) =>
        new(
            ExitCode.WrongUsage,
            $"{place}: {name} is not below the plan's folder {Path}, and is not read.\n"
                + "Put it beside the plan or in a folder below; nothing was sent."
        );

    /// <summary>With every link on the way followed.</summary>
    private static string RealPath(string path)
    {
        var real = "/";
        var left = new Stack<string>(path.Split('/', StringSplitOptions.RemoveEmptyEntries).Reverse());
        // As many links as Linux follows.
        for (var links = 0; left.Count > 0 && links <= 40; )
        {
            var part = left.Pop();
            if (part == ".")
                continue;
            if (part == "..")
            {
                real = System.IO.Path.GetDirectoryName(real) ?? "/";
                continue;
            }
            var next = System.IO.Path.Combine(real, part);
            if (new FileInfo(next).LinkTarget is not { } target)
            {
                real = next;
                continue;
            }
            links++;
            real = target.StartsWith('/') ? "/" : real;
            foreach (var name in target.Split('/', StringSplitOptions.RemoveEmptyEntries).Reverse())
                left.Push(name);
        }
        return real;
    }
}
