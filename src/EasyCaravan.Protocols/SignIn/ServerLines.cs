using System.Text;

namespace EasyCaravan.Protocols.SignIn;

/// <summary>
/// The lines that a server says to a library, one by one, however they are cut on their way. What the library sends is not looked at.
/// </summary>
/// <param name="hear">Gets each line without its end.</param>
internal sealed class ServerLines(Action<string> hear) : MailKit.IProtocolLogger
{
    /// <summary>Octets of a line that are kept; what a server says of a sign-in is shorter.</summary>
    private const int Longest = 8192;

    private readonly List<byte> _line = [];

    public MailKit.IAuthenticationSecretDetector? AuthenticationSecretDetector { get; set; }

    public void LogConnect(Uri uri) { }

    public void LogClient(byte[] buffer, int offset, int count) { }

    public void LogServer(byte[] buffer, int offset, int count)
    {
        foreach (var octet in buffer.AsSpan(offset, count))
            if (octet == '\n')
            {
                hear(Encoding.UTF8.GetString([.. _line]).TrimEnd('\r'));
                _line.Clear();
            }
            else if (_line.Count < Longest)
            {
                _line.Add(octet);
            }
    }

    public void Dispose() { }
}
