using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace EasyCaravan.Service.Hosting;

/// <summary>
/// The certificate that the service shows. It is read again when its file has changed, so that a renewed one needs no new start.
/// </summary>
internal sealed class ServerCertificate(string certificateFile, string keyFile, TimeProvider time, ILogger<ServerCertificate> log)
    : IDisposable
{
    private static readonly TimeSpan s_look = TimeSpan.FromMinutes(1);

    private readonly Lock _lock = new();
    private X509Certificate2? _certificate;
    private DateTime _changed;
    private DateTimeOffset _lookedAt;

    /// <exception cref="DataFolderException">It cannot be read; the message says what to do.</exception>
    public X509Certificate2 Get()
    {
        lock (_lock)
        {
            if (_certificate is not null && time.GetUtcNow() - _lookedAt < s_look)
                return _certificate;
            _lookedAt = time.GetUtcNow();
            try
            {
                var changed = File.GetLastWriteTimeUtc(certificateFile);
                if (_certificate is not null && changed == _changed)
                    return _certificate;
                using var pem = X509Certificate2.CreateFromPemFile(certificateFile, keyFile);
                // A key that was read from a file is not one that the handshake can use on every system; of a PKCS #12 it is.
                _certificate = X509CertificateLoader.LoadPkcs12(pem.Export(X509ContentType.Pkcs12), null);
                _changed = changed;
                return _certificate;
            }
            catch (Exception e) when (e is CryptographicException or IOException or UnauthorizedAccessException or ArgumentException)
            {
                if (_certificate is not null)
                {
                    log.LogError(e, "{File} cannot be read; the certificate that was read before is shown", certificateFile);
                    return _certificate;
                }
                throw new DataFolderException(
                    $"The certificate {certificateFile} with the key {keyFile} cannot be used: {e.Message} Both have to be PEM files that "
                        + "the service can read and that belong together.",
                    e
                );
            }
        }
    }

    public void Dispose() => _certificate?.Dispose();
}
