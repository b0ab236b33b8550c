using System.Text;
using EasyCaravan.Contract;
using MimeKit;

namespace EasyCaravan.Service.Parcels;

/// <summary>Makes text of a message, contact or event, to be read and never executed.</summary>
internal static class ItemText
{
    /// <summary>Characters of text that are shown.</summary>
    private const int LongestText = 200_000;

    /// <summary>Parts of a message that are told.</summary>
    private const int MostParts = 200;

    public static ParcelItemText Read(string path, byte[] octets)
    {
        if (!path.EndsWith(".eml", StringComparison.Ordinal))
            return new ParcelItemText([], Cut(Encoding.UTF8.GetString(octets)), IsHtml: false, []);
        try
        {
            using var stream = new MemoryStream(octets, writable: false);
            var message = MimeMessage.Load(stream);
            var body = message.BodyParts.OfType<TextPart>().Where(t => !t.IsAttachment).ToList();
            // Plain text where there is any: HTML is shown as it is written.
            var shown = body.Find(t => t.IsPlain) ?? body.FirstOrDefault();
            return new ParcelItemText(
                [.. message.Headers.Select(h => new ParcelHeaderView(h.Field, Cut(h.Value)))],
                Cut(shown?.Text ?? ""),
                shown?.IsHtml == true,
                [.. message.BodyParts.Take(MostParts).Select(PartOf)]
            );
        }
        catch (Exception e) when (e is FormatException or IOException or NotSupportedException)
        {
            return new ParcelItemText([], Cut(Encoding.Latin1.GetString(octets)), IsHtml: false, []);
        }
    }

    private static ParcelPartOfMessage PartOf(MimeEntity part) =>
        new(
            part.ContentType.MimeType,
            part.ContentDisposition?.FileName ?? part.ContentType.Name ?? "",
            part is MimePart { Content.Stream: { } stream } ? stream.Length : 0
        );

    private static string Cut(string text) => text.Length <= LongestText ? text : text[..LongestText] + "…";
}
