using System.Security.Cryptography;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using Microsoft.AspNetCore.DataProtection;

namespace EasyCaravan.Service.Access;

/// <summary>Secrets under the keys in the data folder (ASP.NET Data Protection).</summary>
internal sealed class SealedSecrets(IDataProtectionProvider protection) : ISecrets
{
    private readonly IDataProtector _protector = protection.CreateProtector("EasyCaravan.Secrets.v1");

    public string Seal(string secret) => _protector.Protect(secret);

    public string Open(string sealedSecret)
    {
        try
        {
            var secret = _protector.Unprotect(sealedSecret);
            Secrecy.Keep(secret);
            return secret;
        }
        catch (CryptographicException e)
        {
            throw new FaultException(new Fault(Cause.SecretUnreadable, "the store", "a sealed secret cannot be opened"), Verdict.Keep, e);
        }
    }
}
