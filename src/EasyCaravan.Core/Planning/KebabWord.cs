using System.Text.Json;

namespace EasyCaravan.Core.Planning;

/// <summary>The words of plan, API and journal for the values of an enumeration: <c>needs-you</c> for <c>NeedsYou</c>.</summary>
public static class KebabWord
{
    public static string Of<T>(T value)
        where T : struct, Enum => JsonNamingPolicy.KebabCaseLower.ConvertName(value.ToString());

    /// <summary>Null for a word that names no value.</summary>
    public static T? Read<T>(string? word)
        where T : struct, Enum => Enum.GetValues<T>().Where(v => Of(v) == word).Select(v => (T?)v).FirstOrDefault();
}
