using EasyCaravan.Contract;

namespace EasyCaravan.Cli;

/// <summary>A plan's errors as compilers write them, so that editors can jump to the place.</summary>
internal static class PlanProblems
{
    public static string Write(IReadOnlyList<PlanProblem> problems) =>
        string.Join(
            '\n',
            problems
                .Select(p => $"{p.File}:{p.Line}: {p.What}\n    allowed: {p.Allowed}")
                .Append($"{problems.Count} problem{(problems.Count == 1 ? "" : "s")}; nothing was changed.")
        );
}
