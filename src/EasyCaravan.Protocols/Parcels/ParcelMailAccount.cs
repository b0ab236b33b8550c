using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Parcels;
using EasyCaravan.Protocols.Files;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>The mail of a packed account.</summary>
internal sealed class ParcelMailAccount(ParcelSession session) : LocalMailAccount
{
    protected override string Account => session.Account;

    private ParcelMessageWriter? _writer;

    /// <summary>What was handed over to be packed comes before it.</summary>
    protected override T Do<T>(Func<T> work)
    {
        _writer?.DrainAsync(saves: false).GetAwaiter().GetResult();
        return session.DoAlone(work);
    }

    protected override IReadOnlyList<LocalFolder> Folders(bool withItems)
    {
        if (withItems)
            session.View.LoadItems();
        return [.. session.View.State.Folders.Values.Select(f => new ParcelFolder(f, session.View))];
    }

    public override Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel)
    {
        if (visits.All(v => !v.Subscribe && v.Flags.Count == 0))
            return base.VisitAsync(visits, cancel);
        return Task.FromResult(
            Do<IReadOnlyList<FolderSeen>>(() =>
            {
                foreach (var visit in visits)
                    if (Find(visit.Path) is ParcelFolder folder)
                        Change(folder.Packed, visit);
                session.Packer.Save();
                return [.. visits.Select(Visit)];
            })
        );
    }

    private void Change(PackedFolder folder, FolderVisit visit)
    {
        var packer = session.Packer;
        if (visit.Subscribe)
            packer.Subscribe(folder, true);
        foreach (var change in visit.Flags)
        foreach (var number in change.Numbers)
            if (folder.Find(number) is { } message)
            {
                var flags = FlagSet.Of(packer.State.FlagsOf(message));
                var after = FlagSet.Of([.. flags.Except(change.Remove).Flags, .. change.Add.Flags]);
                if (!after.Equals(flags))
                    packer.SetFlags(folder, number, after.Flags);
            }
    }

    public override Task<IReadOnlyList<MadeFolder>> CreateFoldersAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel) =>
        Task.FromResult(
            Do<IReadOnlyList<MadeFolder>>(() =>
            {
                var made = new List<MadeFolder>();
                foreach (var wanted in folders)
                {
                    var there = Find(wanted.Path) as ParcelFolder;
                    var folder = there?.Packed
                        ?? session.Packer.AddFolder(
                            wanted.Path.Names,
                            wanted.Use is SpecialUse.None ? null : wanted.Use.ToString().ToLowerInvariant(),
                            wanted.Subscribe
                        );
                    made.Add(new MadeFolder(new FolderCursor(folder.Epoch, folder.Next, folder.Mark, folder.Count), there is not null));
                }
                session.Packer.Save();
                return made;
            })
        );

    public override Task<bool> RemoveFolderAsync(FolderPath path, CancellationToken cancel) =>
        Task.FromResult(
            Do(() =>
            {
                if (Find(path) is not ParcelFolder folder)
                    return true;
                if (folder.Packed.Count > 0)
                    return false;
                session.Packer.RemoveFolder(folder.Packed);
                session.Packer.Save();
                return true;
            })
        );

    public override Task UnsubscribeAsync(FolderPath path, CancellationToken cancel) =>
        Task.FromResult(
            Do(() =>
            {
                if (Find(path) is ParcelFolder folder)
                    session.Packer.Subscribe(folder.Packed, false);
                session.Packer.Save();
                return true;
            })
        );

    public override async Task<IMessageWriter> AddMessagesAsync(IReadOnlyList<FolderPath> folders, int batchSize, CancellationToken cancel)
    {
        var packed = Do<IReadOnlyList<PackedFolder>>(() => [.. folders.Select(f => ((ParcelFolder)FolderOf(f)).Packed)]);
        if (_writer is not null)
            await _writer.StopAsync();
        return _writer = new ParcelMessageWriter(session, packed);
    }

    public override Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(
        FolderPath path,
        NumberSet numbers,
        FolderPath to,
        CancellationToken cancel
    ) =>
        Task.FromResult(
            Do<IReadOnlyDictionary<uint, uint>?>(() =>
            {
                var (here, there) = (((ParcelFolder)FolderOf(path)).Packed, ((ParcelFolder)FolderOf(to)).Packed);
                var places = new Dictionary<uint, uint>();
                foreach (var number in numbers)
                    if (here.Find(number) is not null)
                        places[number] = session.Packer.Move(here, number, there);
                session.Packer.Save();
                return places;
            })
        );

    public override Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel) =>
        Task.FromResult(
            Do(() =>
            {
                var folder = ((ParcelFolder)FolderOf(path)).Packed;
                foreach (var number in numbers)
                    if (folder.Find(number) is not null)
                        session.Packer.Remove(folder, number);
                session.Packer.Save();
                return true;
            })
        );

    public override Task<Room?> ReadRoomAsync(CancellationToken cancel) =>
        Task.FromResult<Room?>(Do(() => ParcelPlaces.RoomOf(session.Folder)));

    public override Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => Task.FromResult<bool?>(true);

    public override async ValueTask DisposeAsync()
    {
        if (_writer is not null)
            await _writer.StopAsync();
        session.Dispose();
    }
}
