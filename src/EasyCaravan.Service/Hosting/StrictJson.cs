using System.Collections;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;

namespace EasyCaravan.Service.Hosting;

/// <summary>
/// What callers send is taken only if it is what the API's description says: nothing null that may not be, nothing missing that has no
/// default, and no member that does not exist. A misspelt 'moves' would else mean everybody.
/// </summary>
internal static class StrictJson
{
    public static void Configure(JsonSerializerOptions options)
    {
        options.RespectNullableAnnotations = true;
        options.UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow;
        options.TypeInfoResolverChain.Insert(0, new DefaultJsonTypeInfoResolver { Modifiers = { Require } });
    }

    private static void Require(JsonTypeInfo type)
    {
        if (type.Kind is not JsonTypeInfoKind.Object || type.Type.Namespace != typeof(Contract.ContractJson).Namespace)
            return;
        foreach (var property in type.Properties)
            if (property.AssociatedParameter is { HasDefaultValue: false, IsNullable: false } && !IsNullable(property.PropertyType))
                property.IsRequired = true;
        var lists = type
            .Properties.Where(p =>
                p.Get is not null && p.PropertyType != typeof(string) && typeof(IEnumerable).IsAssignableFrom(p.PropertyType)
            )
            .ToList();
        if (lists.Count > 0)
            type.OnDeserialized = read => RefuseNulls(read, lists);
    }

    private static bool IsNullable(Type type) => Nullable.GetUnderlyingType(type) is not null;

    /// <summary>The serializer does not look into lists.</summary>
    private static void RefuseNulls(object read, List<JsonPropertyInfo> lists)
    {
        foreach (var list in lists)
        {
            var found = list.Get!(read) switch
            {
                IDictionary dictionary => dictionary.Values.Cast<object?>().Contains(null),
                IEnumerable items => items.Cast<object?>().Contains(null),
                _ => false,
            };
            if (found)
                throw new JsonException($"'{list.Name}' holds null, which is none of what it may hold.");
        }
    }
}
