namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>A script that cannot be read.</summary>
/// <param name="Line">From 1.</param>
public sealed class SieveException(int line, string what) : Exception($"line {line}: {what}")
{
    public int Line => line;
}
