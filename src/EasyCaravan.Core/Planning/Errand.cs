namespace EasyCaravan.Core.Planning;

/// <summary>
/// A piece of plan that a command made beside the plan that somebody wrote: a service, a route and a batch, all of the errand's name. Its
/// people are in the store, never in a roster.
/// </summary>
/// <param name="Text">In the form of a plan file.</param>
public sealed record Errand(string Name, string Text);
