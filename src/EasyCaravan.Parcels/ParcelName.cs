using System.Globalization;
using System.Text.RegularExpressions;

namespace EasyCaravan.Parcels;

/// <summary>Names of a parcel's files: <c>NAME.zip</c>, then <c>NAME.part-2.zip</c> and so on.</summary>
public static partial class ParcelName
{
    public const string Ending = ".zip";

    /// <summary>Most parts of one parcel: one for each run of packing, or more where they have a set size.</summary>
    public const int MostParts = 100_000;

    public static string OfPart(string name, int part) =>
        part == 1 ? name + Ending : string.Create(CultureInfo.InvariantCulture, $"{name}.part-{part}{Ending}");

    /// <summary>The parcel's name and the part's number; null where the file cannot be a part.</summary>
    public static (string Name, int Part)? Parse(string file)
    {
        if (!file.EndsWith(Ending, StringComparison.OrdinalIgnoreCase))
            return null;
        var name = file[..^Ending.Length];
        var match = PartPattern().Match(name);
        return
            match.Success
            && int.TryParse(match.Groups["n"].Value, CultureInfo.InvariantCulture, out var part)
            && part is > 1 and <= MostParts
            ? (match.Groups["name"].Value, part)
            : (name, 1);
    }

    [GeneratedRegex(@"^(?<name>.+)\.part-(?<n>[1-9][0-9]{0,5})$", RegexOptions.CultureInvariant)]
    private static partial Regex PartPattern();
}
