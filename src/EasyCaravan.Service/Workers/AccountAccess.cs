using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Access;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>The credentials of an account: its own secret, its service's, or a consent.</summary>
internal sealed class AccountAccess(ISecrets secrets, SecretPlaces places, Consents consents)
{
    /// <param name="kind">Files that were handed over need no sign-in, whatever else the service has.</param>
    public Task<Credentials> FromAsync(MovePerson person, Core.Planning.Service service, Kind kind, CancellationToken cancel) =>
        service.IsFiles(kind)
            ? Task.FromResult(new Credentials(person.FromAccount, person.FromLogin, ""))
            : MakeAsync(service, person.FromAccount, person.FromLogin, person.FromSecretSealed, person.FromSecretReference, null, cancel);

    /// <summary>Of the account that a move writes to.</summary>
    public async Task<Credentials> ToAsync(MoveContext context, CancellationToken cancel) =>
        await ToAsync(context.Person, context.To, context.Rules.Root, cancel) with
        {
            Origin = context.To.Parcels is null ? null : OriginWords.Of(context.From, context.Rules) with { AskedBy = context.AskedBy },
        };

    public Task<Credentials> ToAsync(MovePerson person, Core.Planning.Service service, string? root, CancellationToken cancel) =>
        MakeAsync(service, person.ToAccount, person.ToLogin, person.ToSecretSealed, person.ToSecretReference, root, cancel);

    /// <exception cref="FaultException">No secret is known; the fault says whose and what to do.</exception>
    private async Task<Credentials> MakeAsync(
        Core.Planning.Service service,
        string account,
        string login,
        string? sealedSecret,
        string? reference,
        string? root,
        CancellationToken cancel
    )
    {
        try
        {
            var secret = await SecretAsync(service, account, sealedSecret, reference, cancel);
            Secrecy.Keep(secret, service.SignIn is SignIn.OnBehalf onBehalf ? onBehalf.Admin : login);
            return new Credentials(account, login, secret) { Root = root };
        }
        catch (FaultException e) when (e.Fault.Whom != account)
        {
            throw new FaultException(e.Fault with { Whom = account }, e.Verdict, e);
        }
    }

    private async Task<string> SecretAsync(
        Core.Planning.Service service,
        string account,
        string? sealedSecret,
        string? reference,
        CancellationToken cancel
    )
    {
        string? Own() =>
            sealedSecret is not null ? secrets.Open(sealedSecret)
            : reference is not null ? places.Read(SecretReference.Parse(reference)!)
            : null;
        // A parcel without a password is one that is not encrypted.
        if (service.Parcels is { } parcels)
            return Own() ?? (parcels.Password is { } common ? places.Read(common) : "");
        switch (service.SignIn)
        {
            case SignIn.OnBehalf onBehalf:
                return places.Read(onBehalf.Secret);
            case SignIn.OAuth { Grant: OAuthGrant.ClientCredentials or OAuthGrant.JwtBearer }:
                return "";
            case SignIn.OAuth { Grant: OAuthGrant.RefreshToken }:
                return await consents.CurrentAsync(
                    service.Name,
                    account,
                    Own() ?? throw Missing(Cause.SecretMissing, account, service, $"no refresh token is known for {service.Name}"),
                    cancel
                );
            case SignIn.OAuth:
                return await consents.FindAsync(service.Name, account, cancel)
                    ?? throw Missing(Cause.ConsentMissing, account, service, $"nobody has consented at {service.Name} yet");
            case SignIn.Password password:
                return Own()
                    ?? (
                        password.Shared is { } shared
                            ? places.Read(shared)
                            : throw Missing(Cause.SecretMissing, account, service, $"no password is known for {service.Name}")
                    );
            default:
                throw new InvalidOperationException($"Unknown sign-in {service.SignIn}.");
        }
    }

    /// <summary>Names the service, so that whoever gives what is missing there makes the account's moves go on.</summary>
    private static FaultException Missing(Cause cause, string account, Core.Planning.Service service, string what) =>
        new(new Fault(cause, account, what) { Service = service.Name }, Verdict.Keep);
}
