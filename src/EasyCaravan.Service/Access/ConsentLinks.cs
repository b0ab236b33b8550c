using System.Globalization;
using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;

namespace EasyCaravan.Service.Access;

/// <summary>Whose consent a link asks for, where, and who made the link.</summary>
/// <param name="Language">In which its owner reads.</param>
internal sealed record ConsentLink(string Service, string Account, string Language, string Who, DateTimeOffset Made)
{
    private static readonly TimeSpan s_life = TimeSpan.FromDays(7);

    public DateTimeOffset Ends => Made + s_life;
}

/// <summary>
/// Links that an administrator sends to the owners of accounts. What a link is for stands sealed in itself, so that it holds over restarts
/// and nobody else can make one; it opens nothing but the service's own page of consent.
/// </summary>
internal sealed class ConsentLinks(IDataProtectionProvider protection, TimeProvider time)
{
    private readonly IDataProtector _protector = protection.CreateProtector("EasyCaravan.ConsentLinks.v1");

    public (string Text, ConsentLink Link) Make(string service, string account, string language, string who)
    {
        // To the second, and as short as may be: long links break in letters.
        var made = DateTimeOffset.FromUnixTimeSeconds(time.GetUtcNow().ToUnixTimeSeconds());
        var link = new ConsentLink(service, account, language, who, made);
        return (_protector.Protect(string.Join('\n', service, account, language, who, made.ToUnixTimeSeconds())), link);
    }

    /// <summary>Null: it is not one of ours, or over.</summary>
    public ConsentLink? Open(string text)
    {
        try
        {
            var parts = _protector.Unprotect(text).Split('\n');
            var made = DateTimeOffset.FromUnixTimeSeconds(long.Parse(parts[4], CultureInfo.InvariantCulture));
            var link = new ConsentLink(parts[0], parts[1], parts[2], parts[3], made);
            return link.Ends > time.GetUtcNow() ? link : null;
        }
        catch (CryptographicException)
        {
            return null;
        }
    }
}
