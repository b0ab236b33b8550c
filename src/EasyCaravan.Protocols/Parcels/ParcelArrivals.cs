using EasyCaravan.Core.Pacing;
using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>A file of a parcel of which not all, or not all others, have arrived.</summary>
/// <param name="Octets">That have arrived.</param>
public sealed record ParcelArrival(string File, long Octets, DateTimeOffset ChangedAt);

/// <summary>
/// Takes parcels that are sent in, piece by piece, into a folder of their own beside those that are there. A parcel is among these only
/// after it was read from end to end and found to be as it was packed.
/// </summary>
public sealed class ParcelArrivals(ParcelPlaces places)
{
    private const string FolderName = ".arriving";

    private const int Buffer = 256 * 1024;

    public IReadOnlyList<ParcelArrival> In(string place)
    {
        var folder = new DirectoryInfo(Path.Combine(places.FolderOf(place, place), FolderName));
        return folder.Exists ? [.. folder.EnumerateFiles().OrderBy(f => f.Name, StringComparer.Ordinal).Select(ArrivalOf)] : [];
    }

    /// <summary>Adds octets at the end of what is there.</summary>
    /// <param name="at">How much the sender thinks has arrived.</param>
    /// <param name="length">Of the whole file.</param>
    /// <returns>What has arrived now; with another number than <paramref name="at"/> and nothing done where that was wrong.</returns>
    /// <exception cref="FaultException">There is no room, or the place cannot be used.</exception>
    public async Task<(ParcelArrival Arrival, bool IsTaken)> AppendAsync(
        string place,
        string file,
        long at,
        long length,
        Stream octets,
        CancellationToken cancel
    )
    {
        var folder = MakeFolder(place);
        RefuseDouble(Path.GetDirectoryName(folder)!, place, file);
        try
        {
            // Nobody else writes to it meanwhile: the second of two senders is refused.
            await using var stream = new FileStream(
                Path.Combine(folder, file),
                new FileStreamOptions
                {
                    Mode = at == 0 ? FileMode.OpenOrCreate : FileMode.Open,
                    Access = FileAccess.Write,
                    Share = FileShare.None,
                    BufferSize = 0,
                    UnixCreateMode = at == 0 ? UnixFileMode.UserRead | UnixFileMode.UserWrite : null,
                }
            );
            if (stream.Length != at)
                return (new ParcelArrival(file, stream.Length, DateTimeOffset.UtcNow), false);
            var room = ParcelPlaces.RoomOf(folder);
            if (room.Octets!.Value.Less(room.UsedOctets).Count < length - at)
                throw Refused(place, file, $"there is no room for {length} octets");
            stream.Position = at;
            var buffer = new byte[Buffer];
            int read;
            // What has arrived stays, also where the sender is lost in the middle.
            while (stream.Position < length && (read = await octets.ReadAsync(buffer, cancel)) > 0)
                await stream.WriteAsync(buffer.AsMemory(0, (int)Math.Min(read, length - stream.Position)), cancel);
            return (new ParcelArrival(file, stream.Position, DateTimeOffset.UtcNow), true);
        }
        catch (FileNotFoundException)
        {
            return (new ParcelArrival(file, 0, DateTimeOffset.UtcNow), false);
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            throw Refused(place, file, e.Message);
        }
    }

    /// <returns>False: there was nothing.</returns>
    public bool GiveUp(string place, string file)
    {
        var path = Path.Combine(places.FolderOf(place, place), FolderName, file);
        if (!File.Exists(path))
            return false;
        File.Delete(path);
        return true;
    }

    /// <summary>Reads a parcel that has arrived from end to end, and puts it among the others where it is sound.</summary>
    /// <exception cref="ParcelException">Its first part is not there, or the password is wrong.</exception>
    /// <exception cref="FaultException">One of this name is there already.</exception>
    public ParcelReport Take(string place, string name, string? password, CancellationToken cancel)
    {
        var folder = places.FolderOf(place, place);
        var arrived = Path.Combine(folder, FolderName);
        var report = ParcelCheck.Run(Path.Combine(arrived, ParcelName.OfPart(name, 1)), password, cancel);
        if (report.Findings.Length > 0)
        {
            // What is damaged has to be sent from its begin; a part that is missing only has to come too.
            foreach (var file in report.Findings.Where(f => !f.IsGap).Select(f => f.File).Distinct())
                File.Delete(Path.Combine(arrived, file));
            return report;
        }
        var files = Enumerable.Range(1, report.Parts).Select(n => ParcelName.OfPart(name, n)).ToList();
        files.ForEach(f => RefuseDouble(folder, place, f));
        // The last part first: whoever finds the first one finds them all.
        foreach (var file in Enumerable.Reverse(files))
            File.Move(Path.Combine(arrived, file), Path.Combine(folder, file), overwrite: false);
        return report;
    }

    private static void RefuseDouble(string folder, string place, string file)
    {
        if (File.Exists(Path.Combine(folder, file)))
            throw new FaultException(
                new Fault(Cause.PlaceRefused, file, $"a parcel {file} is in {place} already")
                {
                    Help = "Delete that one, or send this one under another name",
                },
                Verdict.Keep
            );
    }

    private string MakeFolder(string place)
    {
        var folder = Path.Combine(places.FolderOf(place, place), FolderName);
        Directory.CreateDirectory(folder, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        return folder;
    }

    private static ParcelArrival ArrivalOf(FileInfo file) => new(file.Name, file.Length, file.LastWriteTimeUtc);

    private static FaultException Refused(string place, string file, string what) =>
        new(
            new Fault(Cause.PlaceRefused, file, $"{file} cannot be taken into {place}: {what}")
            {
                Help = "Make room there, or let the service write to it, then send the rest",
            },
            Verdict.Keep
        );
}
