using System.Globalization;
using System.Net;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using MailKit.Security;

namespace EasyCaravan.Protocols.SignIn;

/// <summary>
/// The one SASL mechanism by which a password is shown: the strongest that both sides have. After a refusal no weaker one is tried, which
/// would give the password away to whoever stands in between, and would count as a second wrong try.
/// </summary>
internal static class PasswordMechanism
{
    private static readonly (string Name, Func<NetworkCredential, SaslMechanism> Make)[] s_strongestFirst =
    [
        ("SCRAM-SHA-512", c => new BoundedScram(new SaslMechanismScramSha512(c))),
        ("SCRAM-SHA-256", c => new BoundedScram(new SaslMechanismScramSha256(c))),
        ("SCRAM-SHA-1", c => new BoundedScram(new SaslMechanismScramSha1(c))),
        ("PLAIN", c => new SaslMechanismPlain(c)),
        ("LOGIN", c => new SaslMechanismLogin(c)),
    ];

    /// <param name="offered">By the server.</param>
    /// <returns>Null when it offers none that we have.</returns>
    public static SaslMechanism? Strongest(IEnumerable<string> offered, string login, string secret)
    {
        var names = offered.ToHashSet(StringComparer.OrdinalIgnoreCase);
        var make = Array.Find(s_strongestFirst, m => names.Contains(m.Name)).Make;
        return make?.Invoke(new NetworkCredential(login, secret));
    }

    /// <summary>After the server has said that we are in.</summary>
    /// <exception cref="FaultException">
    /// It has not shown that it knows the password too (RFC 5802 §3): it may be another server.
    /// </exception>
    public static void RequireProof(SaslMechanism? mechanism, Service service)
    {
        if (mechanism is BoundedScram { IsAuthenticated: false })
            throw new FaultException(
                new Fault(
                    Cause.SignInRefused,
                    service.Name,
                    $"the server let us in without showing that it knows the password, as {mechanism.MechanismName} wants: it may not be "
                        + "the one it claims to be"
                ),
                Verdict.Close
            );
    }

    /// <summary>
    /// SCRAM whose server cannot make us work for minutes (RFC 5802 §5.1: the count of iterations is the server's to choose).
    /// </summary>
    private sealed class BoundedScram(SaslMechanism scram) : SaslMechanism(scram.Credentials)
    {
        /// <summary>About a second of work. Servers use between 4,096 and some hundred thousand.</summary>
        private const int MostIterations = 1_000_000;

        public override string MechanismName => scram.MechanismName;

        public override bool SupportsInitialResponse => scram.SupportsInitialResponse;

        protected override byte[] Challenge(byte[]? token, int startIndex, int length, CancellationToken cancellationToken)
        {
            var said = token is null ? "" : Encoding.UTF8.GetString(token, startIndex, length);
            var count = said.Split(',').FirstOrDefault(p => p.StartsWith("i=", StringComparison.Ordinal));
            if (
                count is not null
                && !(
                    int.TryParse(count.AsSpan(2), NumberStyles.None, CultureInfo.InvariantCulture, out var iterations)
                    && iterations is > 0 and <= MostIterations
                )
            )
                throw new SaslException(
                    MechanismName,
                    SaslErrorCode.InvalidChallenge,
                    $"The server asks for {count[2..]} iterations; more than {MostIterations} are not done."
                );
            var answer = scram.Challenge(token is null ? null : Convert.ToBase64String(token, startIndex, length), cancellationToken);
            IsAuthenticated = scram.IsAuthenticated;
            return Convert.FromBase64String(answer ?? "");
        }

        public override void Reset()
        {
            scram.Reset();
            base.Reset();
        }
    }
}
