using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Parcels;

/// <summary>The closed parts of a parcel in a folder, in order, with what they hold together.</summary>
public sealed class ParcelFiles : IParcelView
{
    private readonly List<ParcelPart> _parts;
    private readonly string? _password;

    private ParcelFiles(string folder, string name, string? password, List<ParcelPart> parts)
    {
        (Folder, Name, _password, _parts) = (folder, name, password, parts);
    }

    public string Folder { get; }

    public string Name { get; }

    public IReadOnlyList<ParcelPart> Parts => _parts;

    /// <summary>The state after the last part that is taken.</summary>
    public ParcelState State { get; private set; } = new();

    /// <summary>The items of the parts are in the state, not their tables alone.</summary>
    public bool HasItems { get; private set; }

    /// <param name="until">Only what was packed until then; null: all.</param>
    /// <param name="onlyComplete">Leaves out the last parts where the run that made them is not complete.</param>
    /// <exception cref="ParcelException">A part is missing, damaged, encrypted with another password, or of another parcel.</exception>
    public static ParcelFiles Open(string folder, string name, string? password, bool onlyComplete = false, DateTimeOffset? until = null)
    {
        var parts = new List<ParcelPart>();
        try
        {
            for (var number = 1; number <= ParcelName.MostParts; number++)
            {
                var path = Path.Combine(folder, ParcelName.OfPart(name, number));
                if (!File.Exists(path))
                    break;
                parts.Add(ParcelPart.Open(path, password));
                CheckOrder(parts);
            }
            while (parts.Count > 0 && ((onlyComplete && !parts[^1].Header.IsComplete) || parts[^1].Header.Ended > until))
            {
                parts[^1].Dispose();
                parts.RemoveAt(parts.Count - 1);
            }
            var files = new ParcelFiles(folder, name, password, parts);
            if (parts.Count > 0)
                files.State.TakePart(parts[^1].Header, parts[^1].ReadManifest(password), withItems: false);
            return files;
        }
        catch
        {
            parts.ForEach(p => p.Dispose());
            throw;
        }
    }

    /// <summary>Goes through all manifests, once.</summary>
    public void LoadItems()
    {
        if (HasItems)
            return;
        var state = new ParcelState();
        foreach (var part in _parts)
            state.TakePart(part.Header, part.ReadManifest(_password), withItems: true);
        (State, HasItems) = (state, true);
    }

    /// <summary>A part that was closed just now, of which the state knows all already.</summary>
    internal void Add(ParcelPart part) => _parts.Add(part);

    /// <summary>The octets of a message or an item, whose digest the caller has to compare.</summary>
    public Stream OpenItem(int part, ulong pathHash) =>
        _parts.Find(p => p.Header.Part == part) is { } file
            ? file.OpenItem(pathHash, _password)
            : throw new ParcelException(ParcelCause.Missing, $"part {part} of {Name} is missing");

    public void Dispose() => _parts.ForEach(p => p.Dispose());

    private static void CheckOrder(List<ParcelPart> parts)
    {
        var (part, number) = (parts[^1], parts.Count);
        if (part.Header.Part != number)
            throw new ParcelException(
                ParcelCause.Damaged,
                $"{part.FileName} is part {part.Header.Part} of a parcel and not part {number}, as its name says"
            );
        if (part.Header.Parcel != parts[0].Header.Parcel)
            throw new ParcelException(ParcelCause.Damaged, $"{part.FileName} is part of another parcel than {parts[0].FileName}");
    }
}
