using System.Globalization;

namespace EasyCaravan.Core.Formats;

/// <summary>The words of a text in small letters without accents, so that they can be compared.</summary>
internal static class PlainWords
{
    private const char FirstAccented = '\u00c0';

    /// <summary>
    /// The letters below the accents from U+00C0 to U+017F. The service runs without the system's Unicode tables, so that it needs none;
    /// accents that stand as characters of their own are left out anyway.
    /// </summary>
    private const string BaseLetters =
        "aaaaaaaceeeeiiiidnooooo ouuuuytsaaaaaaaceeeeiiiidnooooo ouuuuytyaaaaaaccccccccddddeeeeeeeeeegggg"
        + "gggghhhhiiiiiiiiiiiijjkkkllllllllllnnnnnnnnnoooooooorrrrrrssssssssttttttuuuuuuuuuuuuwwyyyzzzzzzs";

    public static string[] Of(string text)
    {
        var letters = new System.Text.StringBuilder();
        foreach (var character in text)
            if (character - FirstAccented is var place and >= 0 && place < BaseLetters.Length)
                letters.Append(BaseLetters[place]);
            else if (CharUnicodeInfo.GetUnicodeCategory(character) is not UnicodeCategory.NonSpacingMark)
                letters.Append(char.IsLetterOrDigit(character) || char.IsSurrogate(character) ? char.ToLowerInvariant(character) : ' ');
        return letters.ToString().Split(' ', StringSplitOptions.RemoveEmptyEntries);
    }
}
