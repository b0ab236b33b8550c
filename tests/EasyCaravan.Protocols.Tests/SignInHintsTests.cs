using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Protocols.Tests;

public sealed class SignInHintsTests
{
    private static readonly Core.Planning.SignIn Password = new Core.Planning.SignIn.Password(null);

    /// <summary>What servers say, and what it means.</summary>
    [Theory]
    [InlineData("NO [AUTHENTICATIONFAILED] Authentication failed.", Cause.SignInRefused)]
    [InlineData("NO LOGIN failed", Cause.SignInRefused)]
    [InlineData("NO [ALERT] Application-specific password required", Cause.AppPasswordNeeded)]
    [InlineData("NO [AUTHENTICATIONFAILED] Please use an app password", Cause.AppPasswordNeeded)]
    [InlineData("NO IMAP access is disabled for your account", Cause.ProtocolOff)]
    [InlineData("NO [NOPERM] not for you", Cause.ProtocolOff)]
    [InlineData("NO [CONTACTADMIN] call us", Cause.AccountLocked)]
    [InlineData("NO [CONTACTADMIN] IMAP access is switched off", Cause.ProtocolOff)]
    [InlineData("NO Account is temporarily LOCKED", Cause.AccountLocked)]
    [InlineData("NO User unknown", Cause.AccountNotFound)]
    [InlineData("NO [NONEXISTENT] nobody", Cause.AccountNotFound)]
    [InlineData("NO Use your full email address", Cause.LoginFormWrong)]
    [InlineData("NO [LIMIT] Too many connections", Cause.ServiceBusy)]
    [InlineData("NO [UNAVAILABLE] later", Cause.ServiceBusy)]
    [InlineData("NO [PRIVACYREQUIRED] not in the clear", Cause.TlsNotOffered)]
    [InlineData("NO [AUTHORIZATIONFAILED] no", Cause.AccountNotFound)]
    public void The_likeliest_cause_is_read_from_code_and_words(string said, Cause cause) =>
        Assert.Equal(cause, SignInHints.CauseOf(ImapResult.Parse(System.Text.Encoding.UTF8.GetBytes(said)), Password));

    [Fact]
    public void For_an_administrator_a_refused_authorization_is_about_the_right_to_act() =>
        Assert.Equal(
            Cause.NotOnBehalf,
            SignInHints.CauseOf(
                ImapResult.Parse("NO [AUTHORIZATIONFAILED] no"u8),
                new Core.Planning.SignIn.OnBehalf("admin", new Core.Planning.SecretReference.File("f"), null)
            )
        );

    [Fact]
    public void Whatever_words_make_of_a_refusal_it_is_a_persons_turn() =>
        Assert.All(
            new[]
            {
                Cause.SignInRefused,
                Cause.AppPasswordNeeded,
                Cause.ProtocolOff,
                Cause.AccountLocked,
                Cause.AccountNotFound,
                Cause.LoginFormWrong,
                Cause.NotOnBehalf,
                Cause.ScopeMissing,
                Cause.ConsentMissing,
            },
            cause => Assert.Equal((FaultAction.AskPerson, true), (FaultRules.ActionOf(cause), FaultRules.RemedyFor(cause).Length > 10))
        );
}
