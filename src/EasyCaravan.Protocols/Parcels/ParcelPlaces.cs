using System.Globalization;
using System.Text.RegularExpressions;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Parcels;
using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>
/// Finds and opens the parcels of services whose accounts lie packed in a folder. Nothing outside of the folder of files that the service
/// was started with is ever read or written, whatever a plan says.
/// </summary>
public sealed partial class ParcelPlaces(string files, TimeProvider time, Func<byte[], byte[]>? seal = null)
{
    private const string DatePattern = "yyyy-MM-dd";

    private readonly Lock _lock = new();
    private readonly Dictionary<string, ParcelStay> _stays = [];

    /// <summary>Below which all places lie.</summary>
    public string Files { get; } = Path.GetFullPath(files);

    /// <summary>As it stands in the names of parcels that are begun now.</summary>
    public string Today => time.GetUtcNow().ToString(DatePattern, CultureInfo.InvariantCulture);

    /// <summary>Opens the mail of an account: for packing where its credentials say where the mail comes from, else for reading.</summary>
    public IMailAccount OpenMail(Service service, Credentials who) => new ParcelMailAccount(Session(service, who));

    /// <summary>The same for its contacts or calendars.</summary>
    public ICollectionAccount OpenCollections(Service service, Kind kind, Credentials who) =>
        new ParcelCollectionAccount(Session(service, who), kind);

    /// <summary>
    /// Keeps a parcel open until it is disposed of, so that the legs of a pass need not take it up one by one.
    /// </summary>
    public IDisposable Stay(Service service, Credentials who) => Enter(service, who);

    /// <summary>The pass is complete: what it packed becomes a part of its own, and the parcel can be handed over.</summary>
    /// <returns>In words, for the journal; null: nothing was packed.</returns>
    /// <exception cref="FaultException">It could not be written.</exception>
    public string? EndRun(Service service, Credentials who)
    {
        using var use = Enter(service, who);
        try
        {
            var packer = use.Stay.Packer;
            return packer.CloseRun() ? $"{ParcelName.OfPart(packer.Name, packer.Parts)} is complete in {service.Parcels!.Folder}" : null;
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            use.Stay.Drop();
            throw new FaultException(
                ParcelFaults.Of(e, who.Account, service.Parcels!.Folder) with
                {
                    Service = service.Name,
                },
                Verdict.Close,
                e
            );
        }
    }

    /// <summary>Deletes a parcel with all its files, also those of a packing that was interrupted.</summary>
    /// <returns>How many; null: it is being packed, and nothing was deleted.</returns>
    public int? Delete(string place, string name)
    {
        var folder = FolderOf(place, place);
        lock (_lock)
        {
            if (_stays.ContainsKey(Path.Combine(folder, name)))
                return null;
            try
            {
                var files = Directory.EnumerateFiles(folder).Where(f => IsFileOf(Path.GetFileName(f), name)).ToList();
                files.ForEach(File.Delete);
                return files.Count;
            }
            catch (Exception e) when (ParcelFaults.IsOne(e))
            {
                throw Refused(place, place, e.Message);
            }
        }
    }

    private static bool IsFileOf(string file, string name) =>
        new[] { "", ParcelPacker.LogEnding, ParcelPacker.MarksEnding, ParcelPacker.PackingEnding }.Any(ending =>
            file.EndsWith(ending, StringComparison.Ordinal) && ParcelName.Parse(file[..^ending.Length])?.Name == name
        );

    /// <summary>What goes wrong with a parcel that somebody looks at or sends, as a fault that tells what to do.</summary>
    public static Fault FaultOf(ParcelException e, string whom, string place) =>
        e.Cause is ParcelCause.WrongPassword
            ? ParcelFaults.Of(e, whom, place) with
            {
                Help = "Give the password with which it was packed",
            }
            : ParcelFaults.Of(e, whom, place);

    /// <summary>Whether the folder is there and lets us in, and how much room it has.</summary>
    /// <param name="writes">A file is made and deleted there.</param>
    /// <exception cref="FaultException">What is wrong, and what to do.</exception>
    public (string Folder, Room Room) Look(Service service, bool writes)
    {
        var folder = FolderOf(service);
        try
        {
            if (writes)
            {
                var trial = Path.Combine(folder, $".trial-{Guid.NewGuid():N}");
                File.WriteAllBytes(trial, [0]);
                File.Delete(trial);
            }
            else
            {
                _ = Directory.EnumerateFileSystemEntries(folder).Any();
            }
            return (folder, RoomOf(folder));
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            throw Refused(service.Parcels!.Folder, service.Name, e.Message);
        }
    }

    internal static Room RoomOf(string folder)
    {
        var drive = new DriveInfo(folder);
        var (all, free) = (drive.TotalSize, drive.AvailableFreeSpace);
        // What others use of the disk is not free for this account either.
        return new Room(new ByteCount(all), new ByteCount(Math.Max(0, all - free)), null, 0);
    }

    /// <summary>The folder of a service, which is below that of all files and no link that leads out of it.</summary>
    /// <exception cref="FaultException">It is not, or it cannot be made.</exception>
    public string FolderOf(Service service) => FolderOf(service.Parcels!.Folder, service.Name);

    /// <param name="place">Below the folder of files.</param>
    /// <param name="whom">For what is said of faults.</param>
    public string FolderOf(string place, string whom)
    {
        var folder = Path.GetFullPath(Path.Combine(Files, place));
        if (folder != Files && !folder.StartsWith(Files.TrimEnd('/') + "/", StringComparison.Ordinal))
            throw new FaultException(
                new Fault(Cause.PlaceRefused, whom, $"{place} does not lie below {Files}")
                {
                    Help = $"Name a folder below {Files}, or start the service with --files and a folder above it",
                    Service = whom,
                },
                Verdict.Keep
            );
        try
        {
            Directory.CreateDirectory(folder, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
            return LeadsOut(folder) ? throw Refused(place, whom, "a link in it leads to somewhere else") : folder;
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            throw Refused(place, whom, e.Message);
        }
    }

    private bool LeadsOut(string folder)
    {
        for (var at = folder; at.Length > Files.Length; at = Path.GetDirectoryName(at)!)
            if (new DirectoryInfo(at).LinkTarget is not null)
                return true;
        return false;
    }

    private FaultException Refused(string place, string whom, string what) =>
        new(
            new Fault(Cause.PlaceRefused, whom, $"the place {place} cannot be used: {what}")
            {
                Help = $"Make the folder {Path.Combine(Files, place)} and let the service write to it, then retry",
                Service = whom,
            },
            Verdict.Keep
        );

    private ParcelSession Session(Service service, Credentials who)
    {
        var folder = FolderOf(service);
        if (who.Origin is not null)
            return new ParcelSession(service, who.Account, folder, Enter(service, who));
        try
        {
            return new ParcelSession(service, who.Account, folder, OpenComplete(service, folder, who));
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            throw new FaultException(
                ParcelFaults.Of(e, who.Account, service.Parcels!.Folder) with
                {
                    Service = service.Name,
                },
                Verdict.Close,
                e
            );
        }
    }

    private static ParcelFiles OpenComplete(Service service, string folder, Credentials who)
    {
        var place = service.Parcels!.Folder;
        var name = FindName(service, folder, who)
            ?? throw new ParcelException(ParcelCause.Missing, $"no parcel of {who.Account} lies in {place}");
        var files = ParcelFiles.Open(folder, name, PasswordOf(who), onlyComplete: true, service.Parcels.AsOf);
        if (files.Parts is [var first, ..] && (IsNamed(name, who) || IsOf(first.Header, who)))
            return files;
        var what =
            files.Parts.Count == 0
                ? $"the parcel {name} in {place} is not complete yet"
                : $"the parcel {name} in {place} holds the account {files.Parts[0].Header.Account}";
        files.Dispose();
        throw new ParcelException(ParcelCause.Missing, what);
    }

    private static bool IsOf(ManifestHeader header, Credentials who) =>
        header.Account.Equals(who.Account, StringComparison.OrdinalIgnoreCase);

    /// <summary>The account is given as the parcel's own name, whosever it is.</summary>
    private static bool IsNamed(string name, Credentials who) =>
        who.Account.Equals(name, StringComparison.Ordinal) || who.Account.Equals(name + ParcelName.Ending, StringComparison.Ordinal);

    private ParcelUse Enter(Service service, Credentials who)
    {
        var path = PathOf(service, who);
        lock (_lock)
        {
            if (!_stays.TryGetValue(path, out var stay))
                _stays[path] = stay = new ParcelStay(() =>
                    ParcelPacker.Open(
                        Path.GetDirectoryName(path)!,
                        Path.GetFileName(path),
                        new PackingTerms(
                            who.Account,
                            who.Origin!.Service,
                            who.Origin.Rules,
                            PasswordOf(who),
                            service.Parcels!.PartSize?.Count
                        )
                        {
                            Seal = seal,
                            By = who.Origin.AskedBy,
                        },
                        time
                    )
                );
            stay.Users++;
            return new ParcelUse(stay, () => Leave(path, stay));
        }
    }

    private void Leave(string path, ParcelStay stay)
    {
        lock (_lock)
        {
            if (--stay.Users > 0)
                return;
            _stays.Remove(path);
            stay.Dispose();
        }
    }

    private static string? PasswordOf(Credentials who) => who.Secret.Length > 0 ? who.Secret : null;

    /// <summary>Of the account's parcel there, or of the one that it will be.</summary>
    private string PathOf(Service service, Credentials who)
    {
        var folder = FolderOf(service);
        return Path.Combine(folder, FindName(service, folder, who) ?? NameOf(service, who.Account, Today));
    }

    /// <summary>The name of an account's parcel that is begun on this day.</summary>
    public static string NameOf(Service service, string account, string date) =>
        SafeName.Of(
            service.Parcels!.Name.Replace("{account}", account, StringComparison.Ordinal).Replace("{date}", date, StringComparison.Ordinal)
        );

    /// <summary>The account's newest parcel, closed or under way, whose name is as the pattern says; null: it has none yet.</summary>
    private static string? FindName(Service service, string folder, Credentials who)
    {
        var names = Directory
            .EnumerateFiles(folder)
            .Select(f => Path.GetFileName(f)!)
            .Select(f => f.EndsWith(ParcelPacker.LogEnding, StringComparison.Ordinal) ? f[..^ParcelPacker.LogEnding.Length] : f)
            .Select(f => ParcelName.Parse(f)?.Name)
            .OfType<string>()
            .Distinct()
            .ToList();
        return names.Find(n => IsNamed(n, who)) ?? names.Where(n => IsOf(n, service, who.Account)).Max(StringComparer.Ordinal);
    }

    /// <summary>It is the name that this account's parcel gets on one of the days that stand in it, or on any day.</summary>
    private static bool IsOf(string name, Service service, string account) =>
        Day().Matches(name).Select(m => m.Groups[1].Value).Append("").Any(day => NameOf(service, account, day) == name);

    [GeneratedRegex("(?=([0-9]{4}-[0-9]{2}-[0-9]{2}))")]
    private static partial Regex Day();
}

/// <summary>A share in a parcel that is being packed.</summary>
internal sealed class ParcelUse(ParcelStay stay, Action leave) : IDisposable
{
    private bool _isOver;

    public ParcelStay Stay => stay;

    public void Dispose()
    {
        if (_isOver)
            return;
        _isOver = true;
        leave();
    }
}
