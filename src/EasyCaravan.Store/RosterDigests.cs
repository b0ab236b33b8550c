using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Store;

/// <summary>
/// Digests of the rosters of a plan, by batch. A roster that was applied before, octet for octet, need not be compared person by person.
/// </summary>
internal static class RosterDigests
{
    public static Dictionary<string, string> Of(Plan plan, PlanBundle bundle) =>
        plan.Batches.ToDictionary(
            b => b.Name,
            b =>
                Convert.ToHexString(
                    SHA256.HashData(Encoding.UTF8.GetBytes($"{b.RosterFile}\n{bundle.Files.GetValueOrDefault(b.RosterFile)}"))
                )
        );

    /// <summary>Sealed: of a short roster with a weak password, a digest in clear would let somebody guess.</summary>
    public static string Seal(Dictionary<string, string> digests, ISecrets secrets) => secrets.Seal(JsonSerializer.Serialize(digests));

    /// <summary>Empty where nothing is known, so that everybody is compared.</summary>
    public static Dictionary<string, string> Open(string? sealedDigests, ISecrets secrets)
    {
        if (sealedDigests is null)
            return [];
        try
        {
            return JsonSerializer.Deserialize<Dictionary<string, string>>(secrets.Open(sealedDigests)) ?? [];
        }
        catch (FaultException)
        {
            // The keys are gone. What was sealed with them is compared person by person, and sealed anew.
            return [];
        }
    }
}
