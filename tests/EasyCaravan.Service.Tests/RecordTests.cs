using System.Reflection;
using System.Runtime.CompilerServices;

namespace EasyCaravan.Service.Tests;

public sealed class RecordTests
{
    private static readonly string[] s_secrets =
    [
        "Secret",
        "Password",
        "Token",
        "RefreshToken",
        "FromSecret",
        "ToSecret",
        "Verifier",
        "Antiforgery",
    ];

    /// <summary>Records print all that they hold, so whatever holds a secret says what else it is.</summary>
    [Fact]
    public void No_record_prints_a_secret()
    {
        var ours = new[]
        {
            typeof(Core.Planning.PlanFile),
            typeof(Contract.ContractJson),
            typeof(Protocols.SignIn.AccessTokens),
            typeof(Store.Database),
            typeof(CaravanHost),
            typeof(EasyCaravan.Parcels.PackingTerms),
            typeof(Cli.ExitCode),
        };
        var records = ours.SelectMany(t => t.Assembly.GetTypes())
            .Where(t => t.Namespace?.StartsWith("EasyCaravan", StringComparison.Ordinal) == true)
            .Where(t => t.GetMethod("<Clone>$") is not null && !t.IsAbstract)
            .ToList();
        Assert.True(records.Count > 200);
        var telling = records
            .Where(t => t.GetProperties().Any(p => p.PropertyType == typeof(string) && IsSecret(t, p.Name)))
            .Where(t => t.GetMethod("ToString", Type.EmptyTypes)!.GetCustomAttribute<CompilerGeneratedAttribute>() is not null);
        Assert.Empty(telling.Select(t => t.FullName));
    }

    /// <summary>A code or a value is a secret where it signs somebody in.</summary>
    private static bool IsSecret(Type record, string property) =>
        property is "Code" or "Value" ? record.Namespace!.EndsWith(".SignIn", StringComparison.Ordinal) : s_secrets.Contains(property);
}
