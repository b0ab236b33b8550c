namespace EasyCaravan.Core.Planning;

/// <summary>What is wrong in a plan or roster, where, and what is allowed there.</summary>
/// <param name="File">As the plan names it.</param>
/// <param name="Line">1-based.</param>
public sealed record PlanError(string File, int Line, string What, string Allowed);
