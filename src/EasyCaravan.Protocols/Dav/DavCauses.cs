using System.Net;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;
using NodaTime;

namespace EasyCaravan.Protocols.Dav;

/// <summary>What a refusal over HTTP means.</summary>
internal static partial class DavCauses
{
    /// <summary>Characters of a server's words that are shown.</summary>
    private const int LongestWords = 300;

    /// <summary>
    /// Preconditions of a write that are about the object (RFC 4791 §5.3.2.1, RFC 6352 §6.3.2.1, RFC 6638 §3.2.4): the item is refused, and
    /// all others go on.
    /// </summary>
    private static readonly HashSet<string> s_ofTheObject =
    [
        "valid-calendar-data",
        "valid-calendar-object-resource",
        "supported-calendar-data",
        "supported-calendar-component",
        "valid-address-data",
        "supported-address-data",
        "min-date-time",
        "max-date-time",
        "max-instances",
        "max-attendees-per-instance",
        "same-organizer-in-all-components",
        "allowed-organizer-scheduling-object-change",
        "allowed-attendee-scheduling-object-change",
    ];

    private static readonly HashSet<string> s_uidTaken = ["no-uid-conflict", "unique-scheduling-object-resource"];

    /// <summary>What a server says in the body of a refusal, without its markup.</summary>
    public static async Task<string> WordsOfAsync(DavAnswer answer, CancellationToken cancel)
    {
        var body = Invisible().Replace(await answer.ReadReasonAsync(cancel), " ");
        var words = string.Join(
            ' ',
            WebUtility.HtmlDecode(Markup().Replace(body, " ")).Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)
        );
        return (words.Length > LongestWords ? words[..LongestWords] : words).TrimEnd('.');
    }

    /// <summary>What became of a write of one item.</summary>
    /// <exception cref="FaultException">The refusal is not about this item.</exception>
    public static async Task<ItemWrite> OfWriteAsync(DavConnection connection, DavAnswer answer, CancellationToken cancel)
    {
        if (answer.IsSuccess && answer.Status is not HttpStatusCode.MultiStatus)
            return new ItemWrite.Taken();
        var (code, condition, words) = await ReadAsync(connection, answer, cancel);
        if (code is >= 200 and < 300)
            return new ItemWrite.Taken();
        var name = condition?.Name.LocalName;
        var what = $"the new side refuses it ({code}{(name is null ? "" : $" {name}")}{(words.Length > 0 ? $": {words}" : "")})";
        if (name is not null && s_uidTaken.Contains(name))
        {
            var told = condition!.Descendants(DavNames.Href).FirstOrDefault()?.Value.Trim();
            var where = told is null ? (Href?)null : connection.PathOf(told);
            return new ItemWrite.UidTaken(where, Fault(Cause.UidTaken, what));
        }
        if (name == "max-resource-size" || code is 413)
            return new ItemWrite.Refused(Fault(Cause.ItemTooLarge, what));
        if (name is not null && s_ofTheObject.Contains(name))
            return new ItemWrite.Refused(Fault(Cause.ItemRefused, what));
        if (code is 412)
            return new ItemWrite.NotAsExpected();
        // Of these nobody says what they are about. They come for some items and not for others.
        if (code is 400 or 409 or 415 or 422 || (code is 403 && name is null or "supported-media-type" && !IsNoRoom(code, name, words)))
            return new ItemWrite.Refused(Fault(Cause.ItemRefused, what));
        throw OfRequest(connection, answer, code, name, words);

        Fault Fault(Cause cause, string said) => new(cause, connection.Account, said, name);
    }

    /// <summary>The fault for a request that is about no single item.</summary>
    public static async Task<FaultException> OfRequestAsync(DavConnection connection, DavAnswer answer, CancellationToken cancel)
    {
        var (code, condition, words) = await ReadAsync(connection, answer, cancel);
        return OfRequest(connection, answer, code, condition?.Name.LocalName, words);
    }

    private static FaultException OfRequest(DavConnection connection, DavAnswer answer, int code, string? condition, string words)
    {
        var cause = code switch
        {
            _ when IsNoRoom(code, condition, words) => Cause.NoRoom,
            401 => Cause.SignInRefused,
            403 => Cause.NotPermitted,
            404 or 405 or 410 => Cause.FolderRefused,
            408 => Cause.TimedOut,
            423 or 429 or 500 or 502 or 503 or 504 => Cause.ServiceBusy,
            _ => Cause.ProtocolBroken,
        };
        var what =
            $"{connection.Service} answers {code}{(condition is null ? "" : $" {condition}")}{(words.Length > 0 ? $": {words}" : "")}";
        var fault = new Fault(cause, connection.Account, what, condition)
        {
            Service = connection.Service,
            NotBefore = answer.RetryAfter(DavConnection.Now) is { } again ? Instant.FromDateTimeOffset(again) : null,
        };
        return new FaultException(fault, Verdict.Keep);
    }

    /// <summary>RFC 4331 §6; one server says it in words only, with a status for defects of its own.</summary>
    private static bool IsNoRoom(int code, string? condition, string words) =>
        code is 507
        || condition is "quota-not-exceeded" or "sufficient-disk-space"
        || (code is 403 or 500 && words.Contains("quota", StringComparison.OrdinalIgnoreCase));

    /// <summary>Some servers answer 207 to a write, with the refusal of the one resource in it.</summary>
    private static async Task<(int Code, System.Xml.Linq.XElement? Condition, string Words)> ReadAsync(
        DavConnection connection,
        DavAnswer answer,
        CancellationToken cancel
    )
    {
        if (answer.Status is not HttpStatusCode.MultiStatus)
            return (answer.Code, await answer.ReadPreconditionAsync(cancel), await WordsOfAsync(answer, cancel));
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
            {
                var status = response.Status ?? response.Properties.Select(p => p.Status).FirstOrDefault(s => s is >= 300);
                if (status is >= 300)
                    return (status.Value, response.Precondition is { } name ? new System.Xml.Linq.XElement(name) : null, "");
            }
        }
        catch (FormatException e)
        {
            throw connection.Garbage(e);
        }
        return (200, null, "");
    }

    [GeneratedRegex("<(style|script|title|head)[^>]*>.*?</\\1>", RegexOptions.IgnoreCase | RegexOptions.Singleline)]
    private static partial Regex Invisible();

    [GeneratedRegex("<[^>]*>")]
    private static partial Regex Markup();
}
