using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Connecting;

/// <summary>Decides whether a server's certificate is trusted, and keeps the reason as text.</summary>
internal sealed class CertificateCheck(Trust trust, string host)
{
    private const string ServerAuthentication = "1.3.6.1.5.5.7.3.1";

    // NIST SP 800-57 part 1, table 2: 112 bits of strength.
    private const int LeastRsa = 2048;
    private const int LeastCurve = 224;

    /// <summary>MD2, MD5 and SHA-1 with RSA, SHA-1 with DSA and ECDSA.</summary>
    private static readonly HashSet<string?> s_brokenHashes =
    [
        "1.2.840.113549.1.1.2",
        "1.2.840.113549.1.1.4",
        "1.2.840.113549.1.1.5",
        "1.2.840.10040.4.3",
        "1.2.840.10045.4.1",
    ];

    public string? Objection { get; private set; }

    public string Facts { get; private set; } = "";

    public bool Judge(object sender, X509Certificate? certificate, X509Chain? chain, SslPolicyErrors errors)
    {
        if (certificate is not X509Certificate2 shown)
        {
            Objection = "the server showed no certificate";
            return false;
        }
        Facts =
            $"certificate of {shown.GetNameInfo(X509NameType.SimpleName, false)}, issued by "
            + $"{shown.GetNameInfo(X509NameType.SimpleName, true)}, valid until {shown.NotAfter.ToUniversalTime():yyyy-MM-dd}";
        switch (trust)
        {
            case Trust.Anyone:
                Facts += ", NOT VERIFIED: trust is none";
                return true;
            case Trust.Authorities authorities:
                Facts += $", trusted by {authorities.File}";
                return Verify(shown, errors, authorities, chain);
            default:
                Objection = errors is SslPolicyErrors.None ? WeaknessOf(chain) : Explain(shown, errors, chain);
                return Objection is null;
        }
    }

    private bool Verify(X509Certificate2 shown, SslPolicyErrors errors, Trust.Authorities authorities, X509Chain? sent)
    {
        using var own = new X509Chain();
        own.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        own.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        own.ChainPolicy.CustomTrustStore.ImportFromPem(authorities.Pem);
        // A certificate that its authority gave for people's mail or for clients proves no server (RFC 5280 §4.2.1.12).
        own.ChainPolicy.ApplicationPolicy.Add(new Oid(ServerAuthentication));
        foreach (var element in sent?.ChainElements ?? Enumerable.Empty<X509ChainElement>())
            own.ChainPolicy.ExtraStore.Add(element.Certificate);
        Objection =
            own.Build(shown) && !errors.HasFlag(SslPolicyErrors.RemoteCertificateNameMismatch)
                ? WeaknessOf(own)
                : Explain(shown, errors & SslPolicyErrors.RemoteCertificateNameMismatch, own);
        return Objection is null;
    }

    /// <summary>What makes a certificate of the chain one that somebody else could have made; null: nothing.</summary>
    private string? WeaknessOf(X509Chain? chain)
    {
        var elements = chain?.ChainElements.Select(e => e.Certificate).ToList() ?? [];
        for (var i = 0; i < elements.Count; i++)
        {
            var certificate = elements[i];
            var whose = i == 0 ? $"the certificate of {host}" : $"the certificate of {host} hangs on one that";
            using var rsa = certificate.GetRSAPublicKey();
            using var ec = certificate.GetECDsaPublicKey();
            if (rsa?.KeySize < LeastRsa)
                return $"{whose} has an RSA key of {rsa.KeySize} bits, and less than {LeastRsa} can be broken";
            if (ec?.KeySize < LeastCurve)
                return $"{whose} has a key of {ec.KeySize} bits, and less than {LeastCurve} can be broken";
            // Of an authority itself nobody looks at the signature.
            if (i < elements.Count - 1 && s_brokenHashes.Contains(certificate.SignatureAlgorithm.Value))
                return $"{whose} is signed with {certificate.SignatureAlgorithm.FriendlyName}, which can be forged";
        }
        return null;
    }

    private string Explain(X509Certificate2 shown, SslPolicyErrors errors, X509Chain? chain)
    {
        if (shown.NotAfter < DateTime.Now)
            return $"the certificate of {host} ended on {shown.NotAfter.ToUniversalTime():yyyy-MM-dd}";
        if (shown.NotBefore > DateTime.Now)
            return $"the certificate of {host} begins on {shown.NotBefore.ToUniversalTime():yyyy-MM-dd}";
        if (errors.HasFlag(SslPolicyErrors.RemoteCertificateNameMismatch))
            return $"the certificate is for {shown.GetNameInfo(X509NameType.DnsName, false)}, not for {host}";
        if (chain?.ChainStatus.Any(s => s.Status.HasFlag(X509ChainStatusFlags.NotValidForUsage)) == true)
            return $"the certificate of {host} was not made for servers (its purpose is another)";
        var status = chain?.ChainStatus.FirstOrDefault().Status;
        return $"the certificate of {host} is not signed by an authority that is trusted ({status?.ToString() ?? "unknown issuer"}; "
            + $"issuer {shown.GetNameInfo(X509NameType.SimpleName, true)})";
    }
}
