using System.Net;
using System.Net.Http.Headers;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.SignIn;

/// <summary>
/// Gives the code back by which a service wants a forwarding address confirmed: as a form to the place that its definition names, signed in
/// as the person.
/// </summary>
public static class ConfirmationHandBack
{
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(30);

    /// <param name="address">That is confirmed.</param>
    /// <exception cref="FaultException">The service did not take it, or could not be asked.</exception>
    public static async Task GiveAsync(
        Service service,
        Credentials who,
        AccessTokens tokens,
        string address,
        string code,
        CancellationToken cancel
    )
    {
        var url = service.Confirmation!.HandBack!;
        using var http = BoundedHttp.Make(new HttpTls(service.Trust, url.Host, machineTrustServes: true), s_patience);
        using var request = new HttpRequestMessage(HttpMethod.Post, url)
        {
            Content = new FormUrlEncodedContent([new("address", address), new("code", code)]),
        };
        request.Headers.Authorization =
            service.SignIn is Core.Planning.SignIn.OAuth
                ? new AuthenticationHeaderValue("Bearer", (await tokens.GetAsync(service, who, null, cancel)).Value)
                : new AuthenticationHeaderValue("Basic", Convert.ToBase64String(Encoding.UTF8.GetBytes($"{who.Login}:{who.Secret}")));
        HttpStatusCode status;
        try
        {
            using var response = await http.SendAsync(request, cancel);
            status = response.StatusCode;
        }
        catch (Exception e) when (e is HttpRequestException || (e is OperationCanceledException && !cancel.IsCancellationRequested))
        {
            throw new FaultException(
                new Fault(Cause.Unreachable, service.Name, $"{url.Host} did not answer when the code was given back"),
                Verdict.Keep,
                e
            );
        }
        if (status is HttpStatusCode.TooManyRequests or >= HttpStatusCode.InternalServerError)
            throw new FaultException(
                new Fault(Cause.Unreachable, service.Name, $"{url.Host} could not take the code now ({(int)status})"),
                Verdict.Keep
            );
        if (status is < HttpStatusCode.OK or >= HttpStatusCode.MultipleChoices)
            throw new FaultException(
                new Fault(Cause.ForwardingUnconfirmed, who.Account, $"{service.Name} did not take its code back ({(int)status})"),
                Verdict.Keep
            );
    }
}
