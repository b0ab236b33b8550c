using System.Collections.Immutable;
using System.Globalization;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;
using Microsoft.Win32.SafeHandles;

namespace EasyCaravan.Parcels;

/// <summary>
/// Packs: adds to a parcel what is new, changed and gone, as another part. What it told to be safe is there after any crash, and the next
/// run goes on from there.
/// </summary>
/// <remarks>
/// While a part is packed it lies as <c>NAME.zip.packing</c> beside its log, <c>NAME.zip.log</c>, and marks, <c>NAME.zip.marks</c>; once
/// closed it has its own name. One process at a time: the log is locked.
/// </remarks>
public sealed class ParcelPacker : IParcelView
{
    public const string PackingEnding = ".packing";
    public const string LogEnding = ".log";
    public const string MarksEnding = ".marks";
    private const string MailPlace = "mail";

    /// <summary>Of one part: readers refuse archives of many more entries as an attack.</summary>
    private const int MostEntries = 1_000_000;

    private readonly TimeProvider _time;
    private readonly PackingTerms _terms;
    private readonly IncrementalHash _digest = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
    private readonly HashSet<string> _places = new(StringComparer.OrdinalIgnoreCase);
    private readonly ParcelFiles _files;

    /// <summary>Where each item of the open part begins, by the hash of its path.</summary>
    private readonly Dictionary<ulong, long> _openPlaces = [];
    private OpenPart? _open;
    private Task _saving = Task.CompletedTask;

    private sealed record OpenPart(string Path, SafeFileHandle File, PartLog Log, ZipAppender Archive, ManifestHeader Header) : IDisposable
    {
        public void Dispose()
        {
            Archive.Dispose();
            Log.Dispose();
            File.Dispose();
        }
    }

    private ParcelPacker(ParcelFiles files, PackingTerms terms, TimeProvider time)
    {
        (_files, _terms, _time) = (files, terms, time);
    }

    public ParcelState State => _files.State;

    /// <summary>Of the parcel's files, without part and ending.</summary>
    public string Name => _files.Name;

    /// <summary>That are closed.</summary>
    public int Parts => _files.Parts.Count;

    /// <summary>Octets that are written and not told to be safe.</summary>
    public long Unsafe { get; private set; }

    /// <param name="folder">Exists.</param>
    /// <param name="name">Of the parcel's files, without part and ending.</param>
    /// <exception cref="ParcelException">What is there of the parcel cannot be gone on with.</exception>
    /// <exception cref="IOException">Another process packs it, or the disk does not let us.</exception>
    public static ParcelPacker Open(string folder, string name, PackingTerms terms, TimeProvider time)
    {
        var files = ParcelFiles.Open(folder, name, terms.Password);
        if (files.Parts is [var first, ..] && !first.Header.Account.Equals(terms.Account, StringComparison.OrdinalIgnoreCase))
        {
            files.Dispose();
            throw new ParcelException(
                ParcelCause.Damaged,
                $"{first.FileName} holds the account {first.Header.Account}, and not {terms.Account}"
            );
        }
        var packer = new ParcelPacker(files, terms, time);
        try
        {
            packer.TakeUp();
            return packer;
        }
        catch
        {
            packer.Dispose();
            throw;
        }
    }

    /// <summary>Goes through all that was packed, once. Whoever looks at messages or items, or changes them, does so first.</summary>
    public void LoadItems()
    {
        if (_files.HasItems)
            return;
        _files.LoadItems();
        TakeLog();
    }

    public PackedFolder AddFolder(ImmutableArray<string> names, string? use, bool isSubscribed)
    {
        LoadItems();
        var above = names.Length > 1 ? State.Folders.Values.FirstOrDefault(f => f.Names.SequenceEqual(names[..^1]))?.Place : MailPlace;
        // A folder whose parent does not exist as one has a place by its own names.
        above ??= string.Join('/', names[..^1].Select(SafeName.Of).Prepend(MailPlace));
        var record = new FolderRecord(
            State.NextId,
            names,
            PlaceBelow(above, names[^1]),
            use,
            isSubscribed,
            (uint)_time.GetUtcNow().ToUnixTimeSeconds(),
            1,
            0,
            0
        );
        Add(record, null);
        return State.Folders[record.Id];
    }

    public PackedCollection AddCollection(MoveKind kind, string name, ImmutableSortedDictionary<string, string> properties, bool isDefault)
    {
        LoadItems();
        var title = properties.GetValueOrDefault(CollectionWords.Title) is { Length: > 0 } given ? given : name;
        var place = PlaceBelow(ManifestLine.WordOf(kind), title);
        var record = new CollectionRecord(State.NextId, kind, name, place, properties, isDefault, 0, 0);
        Add(record, null);
        return State.Collections[record.Id];
    }

    public void Subscribe(PackedFolder folder, bool isSubscribed)
    {
        if (folder.IsSubscribed != isSubscribed)
            Add(folder.ToRecord() with { IsSubscribed = isSubscribed }, null);
    }

    public void RemoveFolder(PackedFolder folder) => Add(new RemovedRecord(folder.Id), null);

    public void RemoveCollection(PackedCollection collection) => Add(new RemovedRecord(collection.Id), null);

    /// <summary>Packs a message that is there whole. Returns its number.</summary>
    /// <param name="sha256">Of its octets.</param>
    public uint AddMessage(
        PackedFolder folder,
        ReadOnlySpan<byte> octets,
        ReadOnlySpan<byte> sha256,
        DateTimeOffset received,
        ImmutableArray<string> flags,
        MessageWords label
    )
    {
        var number = Begin(folder, octets.Length, received);
        _open!.Archive.Write(octets);
        Unsafe += octets.Length;
        End(folder, number, sha256, received, flags, label);
        return number;
    }

    /// <summary>Begins a message; its octets are written next. Returns its number.</summary>
    public uint BeginMessage(PackedFolder folder, long size, DateTimeOffset received)
    {
        _ = _digest.GetHashAndReset();
        return Begin(folder, size, received);
    }

    public void Write(ReadOnlySpan<byte> octets)
    {
        _digest.AppendData(octets);
        _open!.Archive.Write(octets);
        Unsafe += octets.Length;
    }

    public void EndMessage(PackedFolder folder, uint number, DateTimeOffset received, ImmutableArray<string> flags, MessageWords label) =>
        End(folder, number, _digest.GetHashAndReset(), received, flags, label);

    private uint Begin(PackedFolder folder, long size, DateTimeOffset received)
    {
        LoadItems();
        var part = PartFor(size);
        var number = folder.Next;
        var path = string.Create(CultureInfo.InvariantCulture, $"{folder.Place}/{number:000000}-{received.UtcDateTime:yyyy-MM-dd}.eml");
        part.Archive.Begin(path, size, received);
        return number;
    }

    private void End(
        PackedFolder folder,
        uint number,
        ReadOnlySpan<byte> sha256,
        DateTimeOffset received,
        ImmutableArray<string> flags,
        MessageWords label
    )
    {
        var entry = _open!.Archive.End();
        Add(new MessageRecord(folder.Id, number, entry.Name, entry.Size, Convert.ToHexStringLower(sha256), received, flags, label), entry);
    }

    /// <summary>A message did not come whole: it is as if it had not been begun.</summary>
    public void Abandon() => _open?.Archive.Abandon();

    /// <summary>Packs a contact or an event, in place of one of the same name.</summary>
    /// <param name="title">For people to find it by.</param>
    public void PutItem(PackedCollection collection, string name, ReadOnlySpan<byte> octets, string title = "")
    {
        LoadItems();
        var part = PartFor(octets.Length);
        var ending = collection.Kind is MoveKind.Contacts ? "vcf" : "ics";
        var number = collection.Mark + 1;
        var path = string.Create(CultureInfo.InvariantCulture, $"{collection.Place}/{number:000000}.{ending}");
        part.Archive.Begin(path, octets.Length, part.Header.Began);
        part.Archive.Write(octets);
        Unsafe += octets.Length;
        Add(
            new ItemRecord(collection.Id, name, path, octets.Length, Convert.ToHexStringLower(SHA256.HashData(octets)), title),
            part.Archive.End()
        );
    }

    public void SetFlags(PackedFolder folder, uint number, ImmutableArray<string> flags) =>
        Add(new FlagsRecord(folder.Id, number, flags), null);

    /// <summary>Returns its number in the other folder.</summary>
    public uint Move(PackedFolder folder, uint number, PackedFolder to)
    {
        var landed = to.Next;
        Add(new MovedRecord(folder.Id, number, to.Id, landed), null);
        return landed;
    }

    public void Remove(PackedFolder folder, uint number) => Add(new GoneRecord(folder.Id, number), null);

    public void RemoveItem(PackedCollection collection, string name) => Add(new ItemGoneRecord(collection.Id, name), null);

    /// <summary>The octets of a message or an item. The caller compares their digest.</summary>
    /// <exception cref="ParcelException">It is not there, or damaged.</exception>
    public Stream OpenItem(int part, ulong pathHash)
    {
        if (_open is not { } open || part != open.Header.Part)
            return _files.OpenItem(part, pathHash);
        open.Archive.Flush();
        return ZipArchiveFile
            .OfUnfinished(open.File, Path.GetFileName(open.Path), open.Archive.At)
            .OpenAt(_openPlaces[pathHash], _terms.Password)
            .Octets;
    }

    /// <summary>From now on what was packed is there after any crash.</summary>
    public void Save() => BeginSave().GetAwaiter().GetResult();

    /// <summary>
    /// The same once the task has ended; packing may go on meanwhile. What is packed after the call is not part of it.
    /// </summary>
    public Task BeginSave()
    {
        if (_open is not { } part)
            return Task.CompletedTask;
        part.Archive.Flush();
        var mark = part.Log.Flush(part.Archive.At);
        Unsafe = 0;
        var before = _saving;
        return _saving = Task.Run(async () =>
        {
            // One after the other: marks stand in the order of what they tell.
            await before;
            RandomAccess.FlushToDisk(part.File);
            part.Log.Write(mark);
        });
    }

    /// <summary>
    /// Ends the run: the part gets its manifest, its directory and its own name. Where nothing was packed and the last run is complete,
    /// nothing is written.
    /// </summary>
    /// <returns>A part was closed.</returns>
    public bool CloseRun()
    {
        if (_open is null && _files.Parts is [.., { Header.IsComplete: true }])
            return false;
        LoadItems();
        Part();
        Close(isComplete: true);
        return true;
    }

    public void Dispose()
    {
        // It uses the files. Whether it comes to a good end does not matter any more.
        ((IAsyncResult)_saving).AsyncWaitHandle.WaitOne();
        _open?.Dispose();
        _files.Dispose();
        _digest.Dispose();
    }

    private void Close(bool isComplete)
    {
        _saving.GetAwaiter().GetResult();
        var part = _open!;
        var header = part.Header with { IsComplete = isComplete, Ended = Now(), Rules = _terms.Rules };
        List<ManifestRecord> tables =
        [
            .. State.Folders.Values.Select(f => f.ToRecord()),
            .. State.Collections.Values.Select(c => c.ToRecord()),
        ];
        var lines = tables.Prepend(header with { Tables = tables.Count }).Select(ManifestLine.Write).ToList();
        var (count, length) = ((long)lines.Count, lines.Sum(l => l.Length + 1L));
        foreach (var line in part.Log.ReadJson())
            (count, length) = (count + 1, length + line.Length + 1);
        // What all parts of a run hold together is summed up in its last one.
        var end = ManifestLine.Write(new EndRecord(count, isComplete ? State.Sums() : ImmutableSortedDictionary<MoveKind, KindSum>.Empty));
        _ = _digest.GetHashAndReset();
        part.Archive.Begin(ParcelPart.ManifestName, length + end.Length + 1, header.Ended);
        foreach (var line in lines)
            WriteLine(part, line);
        foreach (var line in part.Log.ReadJson())
            WriteLine(part, line.Span);
        WriteLine(part, end);
        List<ZipEntry> last = [part.Archive.End()];
        if (_terms.Seal is { } makeSeal)
        {
            var seal = makeSeal(_digest.GetHashAndReset());
            part.Archive.Begin(ParcelPart.SealName, seal.Length, header.Ended);
            part.Archive.Write(seal);
            last.Add(part.Archive.End());
        }
        part.Archive.Finish(part.Log.ReadEntries(_terms.Password is not null).Concat(last), ParcelPart.Comment);
        RandomAccess.FlushToDisk(part.File);
        part.Dispose();
        _open = null;
        _openPlaces.Clear();
        var path = part.Path[..^PackingEnding.Length];
        File.Move(part.Path, path);
        DeleteLog(path);
        _files.Add(ParcelPart.Open(path, _terms.Password));
    }

    private void WriteLine(OpenPart part, ReadOnlySpan<byte> line)
    {
        part.Archive.Write(line);
        part.Archive.Write("\n"u8);
        _digest.AppendData(line);
        _digest.AppendData("\n"u8);
    }

    private void Add(ManifestRecord record, ZipEntry? entry)
    {
        LoadItems();
        var part = Part();
        part.Log.Add(record, entry);
        Take(part, record, entry);
    }

    private void Take(OpenPart part, ManifestRecord record, ZipEntry? entry)
    {
        State.Take(record, part.Header.Part);
        if (entry is not null)
            _openPlaces[ZipPlaces.HashOf(entry.Name)] = entry.At;
    }

    /// <summary>The part that has room for an item; one that is full is closed. A part that holds nothing yet takes any item.</summary>
    private OpenPart PartFor(long size)
    {
        if (
            _open is { } full
            && _openPlaces.Count > 0
            && (full.Archive.At + full.Log.Length + size > (_terms.PartSize ?? long.MaxValue) || _openPlaces.Count >= MostEntries)
        )
            Close(isComplete: false);
        return Part();
    }

    /// <summary>The part that is open; begins one where there is none.</summary>
    private OpenPart Part()
    {
        if (_open is not null)
            return _open;
        var header = HeaderOfNext();
        var path = PathOf(header.Part);
        var log = PartLog.Open(path + LogEnding, path + MarksEnding, anew: true);
        SafeFileHandle? file = null;
        try
        {
            log.Add(header, null);
            file = OpenFile(path);
            return _open = new OpenPart(path + PackingEnding, file, log, new ZipAppender(file, 0, _terms.Password), header);
        }
        catch
        {
            file?.Dispose();
            log.Dispose();
            throw;
        }
    }

    private static void DeleteLog(string path)
    {
        File.Delete(path + MarksEnding);
        File.Delete(path + LogEnding);
    }

    private string PathOf(int part) => Path.Combine(_files.Folder, ParcelName.OfPart(_files.Name, part));

    private static SafeFileHandle OpenFile(string path)
    {
        var file = File.OpenHandle(path + PackingEnding, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read);
        File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        return file;
    }

    private ManifestHeader HeaderOfNext()
    {
        var last = _files.Parts.Count > 0 ? _files.Parts[^1] : null;
        var now = Now();
        return new ManifestHeader(
            last?.Header.Parcel ?? Guid.NewGuid(),
            _files.Parts.Count + 1,
            last is null ? 1
                : last.Header.IsComplete ? last.Header.Packing + 1
                : last.Header.Packing,
            false,
            _terms.Account,
            _terms.Service,
            last is { Header.IsComplete: false } ? last.Header.Began : now,
            now,
            _terms.Rules,
            last?.DigestOfManifest(_terms.Password),
            0
        )
        {
            By = _terms.By,
        };
    }

    /// <summary>Goes on with a part that an interrupted run left, from its last mark.</summary>
    private void TakeUp()
    {
        var path = PathOf(_files.Parts.Count + 1);
        // Killed after the part got its name and before its log was deleted.
        if (_files.Parts is [.., var closed])
            DeleteLog(closed.Path);
        if (!File.Exists(path + LogEnding))
            return;
        var log = PartLog.Open(path + LogEnding, path + MarksEnding, anew: false);
        SafeFileHandle? file = null;
        try
        {
            if (log.CutToMark() is not { } end || !File.Exists(path + PackingEnding))
            {
                log.Dispose();
                DeleteLog(path);
                return;
            }
            file = OpenFile(path);
            if (RandomAccess.GetLength(file) < end)
                throw new ParcelException(ParcelCause.Damaged, $"{Path.GetFileName(path)}{PackingEnding} is shorter than its log says");
            var header =
                log.Read(false).Select(l => l.Record).FirstOrDefault() as ManifestHeader
                ?? throw new FormatException("its first line is missing");
            _open = new OpenPart(path + PackingEnding, file, log, new ZipAppender(file, end, _terms.Password), header);
            // Its tables are those of the last part, changed by the log.
            LoadItems();
        }
        catch (FormatException e)
        {
            file?.Dispose();
            log.Dispose();
            throw new ParcelException(ParcelCause.Damaged, $"{Path.GetFileName(path)}{LogEnding}: {e.Message}", e);
        }
        catch when (_open is null)
        {
            file?.Dispose();
            log.Dispose();
            throw;
        }
    }

    private void TakeLog()
    {
        foreach (var place in State.Folders.Values.Select(f => f.Place).Concat(State.Collections.Values.Select(c => c.Place)))
            _places.Add(place);
        if (_open is not { } part)
            return;
        foreach (var line in part.Log.Read(_terms.Password is not null).Skip(1))
            Take(part, line.Record, line.Entry);
    }

    private string PlaceBelow(string above, string name)
    {
        var place = $"{above}/{SafeName.Unique(SafeName.Of(name), n => _places.Contains($"{above}/{n}"))}";
        _places.Add(place);
        return place;
    }

    private DateTimeOffset Now() => _time.GetUtcNow();
}
