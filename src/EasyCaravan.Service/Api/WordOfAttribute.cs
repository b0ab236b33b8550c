namespace EasyCaravan.Service.Api;

/// <summary>A parameter whose words are those of an enumeration of the contract, so that the description of the API lists them.</summary>
[AttributeUsage(AttributeTargets.Parameter)]
internal abstract class WordOfAttribute(Type words) : Attribute
{
    public Type Words { get; } = words;
}

/// <inheritdoc cref="WordOfAttribute"/>
internal sealed class WordOfAttribute<T>() : WordOfAttribute(typeof(T))
    where T : struct, Enum;
