using System.Net;
using System.Xml.Linq;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav;

/// <summary>What a server answers. Its body is read only as far as it is wanted, and never beyond a limit.</summary>
internal sealed class DavAnswer(HttpResponseMessage response, Stream body, IDisposable patience) : IDisposable
{
    /// <summary>Octets of a body that says why something was refused.</summary>
    private const int LargestReason = 64 * 1024;

    /// <summary>Octets of one vCard or iCalendar object: above it nothing is carried.</summary>
    public const int LargestObject = 32 * 1024 * 1024;

    /// <summary>Characters of one multistatus. A request for a hundred objects stays far below it.</summary>
    private const long MostCharacters = 4L * 1024 * 1024 * 1024;

    private string? _reason;

    public HttpStatusCode Status => response.StatusCode;

    public int Code => (int)response.StatusCode;

    public bool IsSuccess => response.IsSuccessStatusCode;

    /// <summary>Where the server sends us instead (RFC 9110 §15.4); null where it does not.</summary>
    public Uri? Location => Code is 301 or 302 or 307 or 308 ? response.Headers.Location : null;

    public ETag? Tag => response.Headers.TryGetValues("ETag", out var tags) && tags.FirstOrDefault() is { } tag ? new ETag(tag) : null;

    /// <summary>Compliance classes (RFC 4918 §10.1), in small letters.</summary>
    public IReadOnlyList<string> Classes =>
        response.Headers.TryGetValues("DAV", out var values)
            ? [.. values.SelectMany(v => v.Split(',', StringSplitOptions.TrimEntries)).Select(c => c.ToLowerInvariant())]
            : [];

    /// <summary>When it may be asked again (RFC 9110 §10.2.3); null where it does not say.</summary>
    public DateTimeOffset? RetryAfter(DateTimeOffset now) =>
        response.Headers.RetryAfter switch
        {
            { Delta: { } delta } => now + delta,
            { Date: { } date } => date,
            _ => null,
        };

    /// <summary>The responses of a multistatus, as they come.</summary>
    /// <exception cref="FormatException">The answer is no honest multistatus.</exception>
    public MultiStatusReader ReadMultiStatus() => new(body, MostCharacters, LargestObject);

    /// <summary>The whole body, if it is no larger than an object may be.</summary>
    /// <exception cref="FormatException">It is larger.</exception>
    public async Task<ReadOnlyMemory<byte>> ReadObjectAsync(CancellationToken cancel)
    {
        var octets = new MemoryStream();
        var piece = new byte[32 * 1024];
        for (int count; (count = await body.ReadAsync(piece, cancel)) > 0; )
        {
            octets.Write(piece, 0, count);
            if (octets.Length > LargestObject)
                throw new FormatException($"an object is larger than {LargestObject} octets");
        }
        return octets.GetBuffer().AsMemory(0, (int)octets.Length);
    }

    /// <summary>What the server says about a refusal: the first octets of the body as text.</summary>
    public async Task<string> ReadReasonAsync(CancellationToken cancel)
    {
        if (_reason is not null)
            return _reason;
        var octets = new byte[LargestReason];
        var length = 0;
        for (int count; length < octets.Length && (count = await body.ReadAsync(octets.AsMemory(length), cancel)) > 0; )
            length += count;
        return _reason = System.Text.Encoding.UTF8.GetString(octets, 0, length);
    }

    /// <summary>The condition that was not met, with what stands in it (RFC 4918 §16); null where the body names none.</summary>
    public async Task<XElement?> ReadPreconditionAsync(CancellationToken cancel) => Precondition.Find(await ReadReasonAsync(cancel));

    public void Dispose()
    {
        body.Dispose();
        response.Dispose();
        patience.Dispose();
    }
}
