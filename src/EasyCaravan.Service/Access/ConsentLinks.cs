using System.Security.Cryptography;
using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;

namespace EasyCaravan.Service.Access;

/// <summary>Whose consent a link asks for, where, and who made the link.</summary>
/// <param name="Language">In which its owner reads.</param>
internal sealed record ConsentLink(string Service, string Account, string Language, string Who, DateTimeOffset Made, DateTimeOffset Ends);

/// <summary>
/// Links that an administrator sends to the owners of accounts. What a link is for stands sealed in itself, so that it holds over restarts
/// and nobody else can make one; it opens nothing but the service's own page of consent.
/// </summary>
internal sealed class ConsentLinks(IDataProtectionProvider protection, TimeProvider time)
{
    private static readonly TimeSpan s_life = TimeSpan.FromDays(7);

    private readonly IDataProtector _protector = protection.CreateProtector("EasyCaravan.ConsentLinks.v1");

    public (string Text, ConsentLink Link) Make(string service, string account, string language, string who)
    {
        var now = time.GetUtcNow();
        var link = new ConsentLink(service, account, language, who, now, now + s_life);
        return (_protector.Protect(JsonSerializer.Serialize(link)), link);
    }

    /// <summary>Null: it is not one of ours, or over.</summary>
    public ConsentLink? Open(string text)
    {
        try
        {
            var link = JsonSerializer.Deserialize<ConsentLink>(_protector.Unprotect(text));
            return link?.Ends > time.GetUtcNow() ? link : null;
        }
        catch (CryptographicException)
        {
            return null;
        }
    }
}
