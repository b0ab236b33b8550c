using System.Net.Security;
using System.Security.Cryptography.X509Certificates;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Connecting;

/// <summary>Decides whether a server's certificate is trusted, and keeps the reason as text.</summary>
internal sealed class CertificateCheck(Trust trust, string host)
{
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
                if (errors is SslPolicyErrors.None)
                    return true;
                Objection = Explain(shown, errors, chain);
                return false;
        }
    }

    private bool Verify(X509Certificate2 shown, SslPolicyErrors errors, Trust.Authorities authorities, X509Chain? sent)
    {
        using var own = new X509Chain();
        own.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        own.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        own.ChainPolicy.CustomTrustStore.ImportFromPem(authorities.Pem);
        foreach (var element in sent?.ChainElements ?? Enumerable.Empty<X509ChainElement>())
            own.ChainPolicy.ExtraStore.Add(element.Certificate);
        if (own.Build(shown) && !errors.HasFlag(SslPolicyErrors.RemoteCertificateNameMismatch))
            return true;
        Objection = Explain(shown, errors & SslPolicyErrors.RemoteCertificateNameMismatch, own);
        return false;
    }

    private string Explain(X509Certificate2 shown, SslPolicyErrors errors, X509Chain? chain)
    {
        if (shown.NotAfter < DateTime.Now)
            return $"the certificate of {host} ended on {shown.NotAfter.ToUniversalTime():yyyy-MM-dd}";
        if (shown.NotBefore > DateTime.Now)
            return $"the certificate of {host} begins on {shown.NotBefore.ToUniversalTime():yyyy-MM-dd}";
        if (errors.HasFlag(SslPolicyErrors.RemoteCertificateNameMismatch))
            return $"the certificate is for {shown.GetNameInfo(X509NameType.DnsName, false)}, not for {host}";
        var status = chain?.ChainStatus.FirstOrDefault().Status;
        return $"the certificate of {host} is not signed by an authority that is trusted ({status?.ToString() ?? "unknown issuer"}; "
            + $"issuer {shown.GetNameInfo(X509NameType.SimpleName, true)})";
    }
}
