using System.Text;
using System.Text.Encodings.Web;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Service.Hosting;

/// <summary>
/// Writes text into the pages that the service draws itself. What could turn or hide text is shown, as on every other surface; a mere HTML
/// encoder writes it as a reference, which the browser obeys all the same.
/// </summary>
internal sealed unsafe class VisibleHtmlEncoder : HtmlEncoder
{
    public override int MaxOutputCharactersPerInputCharacter => Math.Max(12, Default.MaxOutputCharactersPerInputCharacter);

    public override bool WillEncode(int unicodeScalar) => Shown(unicodeScalar) is not null || Default.WillEncode(unicodeScalar);

    public override int FindFirstCharacterToEncode(char* text, int textLength)
    {
        var all = new ReadOnlySpan<char>(text, textLength);
        for (var at = 0; at < all.Length; )
        {
            if (Rune.DecodeFromUtf16(all[at..], out var rune, out var length) is not System.Buffers.OperationStatus.Done)
                return at;
            if (WillEncode(rune.Value))
                return at;
            at += length;
        }
        return -1;
    }

    public override bool TryEncodeUnicodeScalar(int unicodeScalar, char* buffer, int bufferLength, out int numberOfCharactersWritten)
    {
        if (Shown(unicodeScalar) is not { } shown)
            return Default.TryEncodeUnicodeScalar(unicodeScalar, buffer, bufferLength, out numberOfCharactersWritten);
        numberOfCharactersWritten = shown.Length;
        return shown.TryCopyTo(new Span<char>(buffer, bufferLength));
    }

    /// <summary>Null: it steers nothing.</summary>
    private static string? Shown(int scalar)
    {
        if (!Rune.IsValid(scalar))
            return null;
        var text = new Rune(scalar).ToString();
        var seen = VisibleText.Of(text, keepsLines: true);
        return seen == text ? null : seen;
    }
}
