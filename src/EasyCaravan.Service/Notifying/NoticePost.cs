using EasyCaravan.Core.Notifying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Service.Notifying;

/// <summary>Sends the letters that are due, one after the other over one session.</summary>
internal sealed class NoticePost(
    NoticeBox box,
    CurrentPlan current,
    SecretPlaces secrets,
    IMessageSenders senders,
    CaravanOptions options,
    TimeProvider time,
    ILogger<NoticePost> log
) : RecurringDuty(TimeSpan.FromSeconds(2), time, log)
{
    private bool _isReleased;

    protected override async Task DoAsync(CancellationToken cancel)
    {
        if (!_isReleased)
            await box.ReleaseAsync(options.Owner, cancel);
        _isReleased = true;
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Notices is not { Sending: not null, From: not null } notices)
            return;
        IMessageSender? sender = null;
        try
        {
            while (
                !cancel.IsCancellationRequested
                && await box.ClaimAsync(NoticeWay.Mail, options.Owner, notices.AMinute, cancel) is { } notice
            )
            {
                try
                {
                    sender ??= await senders.OpenAsync(notices, SecretOf(notices), cancel);
                }
                catch (FaultException e)
                {
                    await EndAsync(notice, new LetterEnd.NotNow(e.Fault), null);
                    return;
                }
                if (await TryWriteAsync(plan, notices, notice) is not { } letter)
                    continue;
                var end = await sender.SendAsync(
                    new OutgoingLetter(notice.MessageId!, notices.From, notices.ReplyTo, notice.To, notice.Language, letter),
                    c => box.HandOverAsync(notice, c),
                    cancel
                );
                await EndAsync(notice, end, letter.Subject);
                // After an error nobody knows in which state the session is.
                if (end is not (LetterEnd.Taken or LetterEnd.Refused))
                    return;
            }
        }
        finally
        {
            if (sender is not null)
                await sender.DisposeAsync();
        }
    }

    /// <summary>A template of the plan may fail with facts that nobody tried: that letter alone is given up.</summary>
    private async Task<Letter?> TryWriteAsync(Plan plan, Notices notices, NoticeRow notice)
    {
        try
        {
            return await LetterTemplates.WriteAsync(
                notice.About,
                notice.Language,
                NoticeFacts.Read(notice.Facts),
                plan.Batches.FirstOrDefault(b => b.Name == notice.Batch)?.Notices.Templates ?? OwnTemplates.None,
                notices.Templates
            );
        }
        catch (Exception e)
        {
            log.LogError(e, "The letter {About} to {To} cannot be written", notice.About, notice.To);
            var why = $"the letter cannot be written: look into the template {KebabWord.Of(notice.About)}.{notice.Language}";
            await box.EndAsync(notice, NoticeState.Refused, why, null, null, CancellationToken.None);
            return null;
        }
    }

    private string? SecretOf(Notices notices) => notices.Login is { } login ? secrets.Read(login.Secret) : null;

    /// <summary>What is written down here must not be lost because the service stops: it was sent or not, whoever waits.</summary>
    private Task EndAsync(NoticeRow notice, LetterEnd end, string? subject)
    {
        var (state, answer, again) = end switch
        {
            LetterEnd.Taken taken => (NoticeState.Sent, taken.Answer, (DateTimeOffset?)null),
            LetterEnd.Refused refused => (NoticeState.Refused, refused.Fault.What, null),
            LetterEnd.Unclear unclear => (NoticeState.Unclear, unclear.Fault.What, null),
            LetterEnd.NotNow not when NoticeRetry.Next(notice.Attempts, Time.GetUtcNow()) is { } next => (
                NoticeState.Due,
                not.Fault.What,
                next
            ),
            LetterEnd.NotNow not => (NoticeState.Refused, not.Fault.What, null),
            _ => throw new InvalidOperationException($"Unknown end {end}."),
        };
        if (state is not NoticeState.Sent)
            log.LogWarning("A notice to {To} was not sent ({State}): {Answer}", notice.To, state, answer);
        return box.EndAsync(notice, state, answer, subject, again, CancellationToken.None);
    }
}
