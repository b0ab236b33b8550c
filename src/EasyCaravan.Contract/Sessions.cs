namespace EasyCaravan.Contract;

/// <summary>Signs the console in.</summary>
public sealed record SessionRequest(string Token);

/// <param name="Antiforgery">To be sent as X-Caravan-Antiforgery with every write.</param>
public sealed record SessionView(string Name, string Antiforgery, string Version);
