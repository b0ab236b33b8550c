using System.Text.Json;
using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>How the API writes JSON: camelCase names, kebab-case words, numbers as numbers.</summary>
public static class ContractJson
{
    public static JsonSerializerOptions Options { get; } = Configure(new JsonSerializerOptions(JsonSerializerDefaults.Web));

    public static JsonSerializerOptions Configure(JsonSerializerOptions options)
    {
        options.NumberHandling = JsonNumberHandling.Strict;
        return options;
    }
}
