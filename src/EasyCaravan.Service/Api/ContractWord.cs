namespace EasyCaravan.Service.Api;

/// <summary>
/// The API's words are enumerations of its own, so that inside may be renamed without breaking a program outside. A word and its value
/// inside bear the same name; a test proves it for each pair.
/// </summary>
internal static class ContractWord
{
    public static T To<T>(Enum value)
        where T : struct, Enum => Enum.Parse<T>(value.ToString());
}
