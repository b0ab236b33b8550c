using System.Globalization;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Service.Notifying;

/// <summary>
/// Tells webhooks of events. Each is told at least once: whoever takes it knows by its number whether it came before.
/// </summary>
internal sealed class WebhookPost(
    NoticeBox box,
    CurrentPlan current,
    SecretPlaces secrets,
    CaravanOptions options,
    TimeProvider time,
    ILogger<WebhookPost> log
) : RecurringDuty(TimeSpan.FromSeconds(2), time, log)
{
    /// <summary>Of an answer that is kept.</summary>
    private const int MostAnswer = 300;

    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(20);

    protected override async Task DoAsync(CancellationToken cancel)
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Notices is not { Webhooks.Length: > 0 } notices)
            return;
        while (!cancel.IsCancellationRequested && await box.ClaimAsync(NoticeWay.Webhook, options.Owner, null, cancel) is { } notice)
        {
            var (state, answer) = await TellAsync(notices, notice, cancel);
            var again = state is NoticeState.Due ? NoticeRetry.Next(notice.Attempts, Time.GetUtcNow()) : null;
            if (state is NoticeState.Due && again is null)
                state = NoticeState.Refused;
            await box.EndAsync(notice, state, answer, null, again, CancellationToken.None);
        }
    }

    private async Task<(NoticeState State, string Answer)> TellAsync(Notices notices, NoticeRow notice, CancellationToken cancel)
    {
        if (notices.Webhooks.FirstOrDefault(w => w.Name == notice.To) is not { } hook)
            return (NoticeState.Refused, "the plan in force has no webhook of this name");
        try
        {
            using var http = BoundedHttp.Make(hook.Trust, hook.Url.Host, s_patience);
            using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
            patience.CancelAfter(s_patience);
            using var request = RequestOf(hook.Url, notice, secrets.Read(hook.Secret), Time.GetUtcNow());
            using var response = await http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, patience.Token);
            var answer = $"{(int)response.StatusCode} {response.ReasonPhrase}";
            answer = answer[..Math.Min(answer.Length, MostAnswer)];
            // What is wrong for good with the call itself is not mended by asking again; 408 and 429 ask for another try.
            var isForGood = (int)response.StatusCode is >= 400 and < 500 and not (408 or 429);
            return response.IsSuccessStatusCode ? (NoticeState.Sent, answer) : (isForGood ? NoticeState.Refused : NoticeState.Due, answer);
        }
        catch (FaultException e)
        {
            return (NoticeState.Due, e.Fault.What);
        }
        catch (Exception e) when (e is HttpRequestException or OperationCanceledException && !cancel.IsCancellationRequested)
        {
            return (NoticeState.Due, e is HttpRequestException ? $"it cannot be reached: {e.Message}" : "it did not answer in time");
        }
    }

    /// <summary>Signed over the time and the body, so that nobody else can make one, or send an old one again.</summary>
    public static HttpRequestMessage RequestOf(Uri url, NoticeRow notice, string secret, DateTimeOffset now)
    {
        var body = JsonSerializer.SerializeToUtf8Bytes(
            new Dictionary<string, object?>
            {
                ["number"] = notice.Id,
                ["about"] = KebabWord.Of(notice.About),
                ["happenedAt"] = DateTimeOffset.FromUnixTimeMilliseconds(notice.MadeAt).ToString("O", CultureInfo.InvariantCulture),
                ["batch"] = notice.Batch,
                ["account"] = notice.Account,
                ["facts"] = JsonDocument.Parse(notice.Facts).RootElement,
            }
        );
        var at = now.ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
        byte[] signed = [.. Encoding.ASCII.GetBytes($"{at}\n"), .. body];
        var signature = Convert.ToHexStringLower(HMACSHA256.HashData(Encoding.UTF8.GetBytes(secret), signed));
        return new HttpRequestMessage(HttpMethod.Post, url)
        {
            Content = new ByteArrayContent(body) { Headers = { ContentType = new MediaTypeHeaderValue("application/json") } },
            Headers =
            {
                { "Caravan-Number", notice.Id.ToString(CultureInfo.InvariantCulture) },
                { "Caravan-Time", at },
                { "Caravan-Signature", signature },
            },
        };
    }
}
