namespace EasyCaravan.Core.Ports;

/// <summary>Keeps secrets encrypted at rest.</summary>
public interface ISecrets
{
    string Seal(string secret);

    /// <exception cref="Pacing.FaultException">The keys that sealed it are gone.</exception>
    string Open(string sealedSecret);
}
