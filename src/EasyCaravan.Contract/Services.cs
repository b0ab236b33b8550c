namespace EasyCaravan.Contract;

/// <param name="Warnings">What makes the service less safe than it could be, in words that must be shown with it.</param>
/// <param name="InUse">Connections open now.</param>
/// <param name="Connections">The most that may be open.</param>
/// <param name="LargestMessage">In octets; null when no limit is set.</param>
public sealed record ServiceView(
    string Name, string Speaks, string Host, int Port, string Security, string SignIn, string Trust,
    int InUse, int Connections, int PerAccount, long? LargestMessage, IReadOnlyList<string> Warnings);

/// <param name="Account">Whose sign-in is tried; null: only what needs none.</param>
public sealed record ServiceTryRequest(string? Account);

/// <param name="Milliseconds">How long the step took.</param>
public sealed record TrialStep(string Name, bool Ok, string Result, long Milliseconds);

public sealed record ServiceTrial(string Service, string? Account, bool Ok, IReadOnlyList<TrialStep> Steps, Problem? Problem);
