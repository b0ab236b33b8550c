namespace EasyCaravan.Store;

/// <summary>The plan in force is not the one that the change was made for. Nothing was changed.</summary>
public sealed class StalePlanException() : Exception("Somebody else put another plan in force meanwhile.");
