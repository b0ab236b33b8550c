using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Tests;

public sealed class SignInPlanTests
{
    private static (Service? Service, IReadOnlyList<PlanError> Errors) Read(
        string signIn,
        string mail = "speaks: imap, host: a.example",
        string more = ""
    )
    {
        var plan =
            $"services:\n  a:\n    mail: {{{mail}}}\n    sign-in: {{{signIn}}}\n{more}  b: {{mail: {{speaks: imap, host: b.example}} }}\n"
            + $"routes: {{r: {{from: a, to: b}} }}\nbatches: {{x: {{route: r, roster: x.csv}} }}\n";
        var (read, errors) = PlanFile.Read(new PlanBundle("p", plan, new Dictionary<string, string>()), withRosters: false);
        return (read?.Services[0], errors);
    }

    [Fact]
    public void Every_way_in_is_read()
    {
        Assert.Equal(
            new SecretReference.File("all"),
            ((SignIn.Password)Read("with: password, secret: {file: all}").Service!.SignIn).Shared
        );
        var onBehalf = (SignIn.OnBehalf)
            Read("with: on-behalf, admin: root, secret: {env: CARAVAN_SECRET_X}, login: \"{account}*{admin}\"").Service!.SignIn;
        Assert.Equal("a@x*root", onBehalf.LoginFor("a@x"));
        var oauth = (SignIn.OAuth)
            Read(
                "with: oauth, grant: device-code, token-url: \"https://l.example/t\", device-url: \"https://l.example/d\", client-id: c, "
                    + "scopes: [mail, x], mechanism: xoauth2"
            ).Service!.SignIn;
        Assert.Equal((OAuthGrant.DeviceCode, BearerMechanism.XOAuth2, 2), (oauth.Grant, oauth.Bearer, oauth.Client.Scopes.Length));
    }

    [Theory]
    [InlineData("with: on-behalf, admin: root", "sign-in on behalf needs 'secret'")]
    [InlineData("with: password, admin: root", "'admin' says nothing when accounts sign in with password")]
    [InlineData("with: oauth, grant: refresh-token, client-id: c", "sign-in with oauth needs 'token-url'")]
    [InlineData("with: oauth, grant: jwt-bearer, token-url: \"https://l.example/t\", client-id: c", "the grant jwt-bearer needs 'key'")]
    [InlineData("with: oauth, grant: refresh-token, token-url: \"http://l.example/t\", client-id: c", "is not protected")]
    [InlineData("with: password, secret: {file: a, env: CARAVAN_SECRET_B}", "'secret' names two places")]
    [InlineData("with: password, secret: {env: HOME}", "'env' cannot be what stands there")]
    [InlineData("with: password, secret: {file: ../keys}", "'file' cannot be what stands there")]
    [InlineData("with: passwort", "'with' cannot be 'passwort'; did you mean 'password'?")]
    public void What_cannot_be_meant_is_told(string signIn, string what) =>
        Assert.Contains(Read(signIn).Errors, e => e.Line == 4 && e.What.Contains(what, StringComparison.Ordinal));

    [Fact]
    public void Pop3_has_ports_of_its_own_and_takes_no_mail()
    {
        Assert.Equal(995, Read("with: password", "speaks: pop3, host: a.example").Service!.Mail!.Port);
        Assert.Equal(110, Read("with: password", "speaks: pop3, host: a.example, security: starttls").Service!.Mail!.Port);
        var (_, errors) = PlanFile.Read(
            new PlanBundle(
                "p",
                "services: {a: {mail: {speaks: imap, host: a.example} }, b: {mail: {speaks: pop3, host: b.example} } }\n"
                    + "routes: {r: {from: a, to: b} }\nbatches: {x: {route: r, roster: x.csv} }\n",
                new Dictionary<string, string>()
            ),
            withRosters: false
        );
        Assert.Contains("takes no mail", Assert.Single(errors).What, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("2027-02-12T06:59", "2027-02-11T07:00")]
    [InlineData("2027-02-12T07:00", "2027-02-12T07:00")]
    [InlineData("2027-02-12T23:59", "2027-02-12T07:00")]
    public void The_services_day_starts_when_the_plan_says(string now, string day)
    {
        var pattern = NodaTime.Text.LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm");
        var limits = Limits.Default with { DayStarts = new LocalTime(7, 0) };
        Assert.Equal(pattern.Parse(day).Value.InUtc().ToInstant(), limits.DayOf(pattern.Parse(now).Value.InUtc().ToInstant()));
    }

    [Fact]
    public void An_allowance_is_shared_and_never_overdrawn_but_by_one_message_that_no_day_could_hold()
    {
        var spent = new Fault(Cause.DaySpent, "lanternpost", "used up") { NotBefore = Instant.FromUtc(2027, 2, 13, 7, 0) };
        var allowance = new Allowance(new(1000), untouched: true, spent);
        Assert.True(allowance.TryTake(new(600)));
        Assert.False(allowance.TryTake(new(600)));
        Assert.True(allowance.TryTake(new(400)));
        Assert.Equal(spent, Assert.Throws<FaultException>(allowance.End).Fault);
        Assert.True(new Allowance(new(1000), untouched: true, spent).TryTake(new(5000)));
        Assert.False(new Allowance(new(1000), untouched: false, spent).TryTake(new(5000)));
        Assert.True(Allowance.Unlimited.TryTake(new(long.MaxValue)));
    }

    [Fact]
    public void A_remedy_of_the_definition_takes_the_place_of_the_general_one_where_its_words_were_said()
    {
        var fault = new Fault(Cause.SignInRefused, "a", "refused: \"Use an APP password\"");
        Help[] help = [new("locked", "Call them"), new("app password", "Make one under Keys")];
        Assert.Equal("Make one under Keys", fault.Advised(help).Remedy);
        Assert.Equal(FaultRules.RemedyFor(Cause.SignInRefused), (fault with { What = "refused" }).Advised(help).Remedy);
    }
}
