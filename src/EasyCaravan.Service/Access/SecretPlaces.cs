using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Service.Access;

/// <summary>
/// Reads secrets that a plan or roster refers to, each time they are needed: who changes the file need not apply the plan.
/// </summary>
internal sealed class SecretPlaces(CaravanOptions options)
{
    private string Folder => Path.Combine(options.DataFolder, "secrets");

    /// <exception cref="FaultException">It is not there.</exception>
    public string Read(SecretReference reference)
    {
        var (text, place) = reference switch
        {
            SecretReference.Environment variable => (
                Environment.GetEnvironmentVariable(variable.Name),
                $"the service's environment has no {variable.Name}"
            ),
            SecretReference.File file => (ReadFile(file.Name), $"there is no file '{file.Name}' in {Folder} that the service can read"),
            _ => throw new InvalidOperationException($"Unknown reference {reference}."),
        };
        // Editors end files with a line end, which is not part of the secret.
        if (text?.TrimEnd('\r', '\n') is not { Length: > 0 } secret)
            throw new FaultException(new Fault(Cause.SecretMissing, reference.ToString()!, place), Verdict.Keep);
        Secrecy.Keep(secret);
        return secret;
    }

    private string? ReadFile(string name)
    {
        try
        {
            return File.ReadAllText(Path.Combine(Folder, name));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}
