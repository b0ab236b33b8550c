using System.Collections.Immutable;
using System.Globalization;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;
using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>The address books or the calendars of a packed account.</summary>
internal sealed class ParcelCollectionAccount(ParcelSession session, Kind kind) : ICollectionAccount
{
    /// <summary>Octets of one contact or event, with the pictures and files in it.</summary>
    private const long LargestItem = 256 * 1024 * 1024;

    private static readonly Href s_root = new("/");

    public Kind Kind => kind;

    public CollectionAccountTraits Traits { get; } = new([], Schedules: false);

    private MoveKind PackedKind => kind is Kind.Contacts ? MoveKind.Contacts : MoveKind.Calendars;

    public Task<IReadOnlyList<CollectionState>> ListAsync(CancellationToken cancel) =>
        Task.FromResult(
            session.Do<IReadOnlyList<CollectionState>>(() =>
                [.. session.View.State.Collections.Values.Where(c => c.Kind == PackedKind).Select(StateOf)]
            )
        );

    public Task<CollectionChanges> ReadChangesAsync(CollectionState collection, SyncToken? since, CancellationToken cancel) =>
        Task.FromResult(
            session.DoAlone(() =>
            {
                var packed = CollectionOf(collection.Href);
                var mark = StateOf(packed).Mark;
                return MarkOf(since, packed) is { } known
                    ? new CollectionChanges(
                        false,
                        [.. packed.Items.Values.Where(i => i.Mark > known).Select(i => StateOf(packed, i))],
                        [.. packed.GoneSince(known).Select(n => HrefOf(packed).Item(n))],
                        mark
                    )
                    : new CollectionChanges(true, [.. packed.Items.Values.Select(i => StateOf(packed, i))], [], mark);
            })
        );

    public async Task ReadItemsAsync(
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var packed = session.DoAlone(() => CollectionOf(collection.Href));
        foreach (var href in items)
        {
            cancel.ThrowIfCancellationRequested();
            var (item, octets) = session.DoAlone(() =>
                packed.Items.TryGetValue(href.Name, out var there) ? (there, TryRead(there)) : ((PackedItem?)null, null)
            );
            if (item is null)
                continue;
            if (octets is null)
                unreadable[href] = new Fault(Cause.ItemUnreadable, session.Account, "what lies in the parcel is not what was packed");
            else
                await take(new StoredItem(href, TagOf(item), octets), cancel);
        }
    }

    public Task<ItemWrite> AddAsync(Href item, ReadOnlyMemory<byte> octets, CancellationToken cancel) =>
        WriteAsync(item, (packed, there) => there is null ? Put(packed, item, octets) : new ItemWrite.NotAsExpected());

    public Task<ItemWrite> ReplaceAsync(Href item, ETag tag, ReadOnlyMemory<byte> octets, CancellationToken cancel) =>
        WriteAsync(item, (packed, there) =>
            there is not null && TagOf(there) == tag ? Put(packed, item, octets) : new ItemWrite.NotAsExpected()
        );

    public Task<ItemWrite> RemoveAsync(Href item, ETag tag, CancellationToken cancel) => WriteAsync(item, (packed, there) =>
        {
            if (there is null)
                return new ItemWrite.Taken();
            if (TagOf(there) != tag)
                return new ItemWrite.NotAsExpected();
            session.Packer.RemoveItem(packed, item.Name);
            return new ItemWrite.Taken();
        });

    /// <summary>What it answers is on the disk.</summary>
    private async Task<ItemWrite> WriteAsync(Href item, Func<PackedCollection, PackedItem?, ItemWrite> write)
    {
        var answer = session.DoAlone(() =>
            CollectionOf(item) is var packed ? write(packed, packed.Items.GetValueOrDefault(item.Name)) : null!
        );
        if (answer is ItemWrite.Taken)
            await session.SaveSoonAsync();
        return answer;
    }

    public Task<CollectionState> MakeAsync(string name, CollectionProperties properties, CancellationToken cancel) =>
        Task.FromResult(
            session.Do(() =>
            {
                session.View.LoadItems();
                var all = session.View.State.Collections.Values.Where(c => c.Kind == PackedKind).ToList();
                var unique = SafeName.Unique(name, n => all.Exists(c => c.Name == n));
                var made = session.Packer.AddCollection(PackedKind, unique, WordsOf(properties), isDefault: false);
                session.Packer.Save();
                return StateOf(made);
            })
        );

    public Task RemoveCollectionAsync(Href collection, CancellationToken cancel) =>
        Task.FromResult(
            session.Do(() =>
            {
                session.Packer.RemoveCollection(CollectionOf(collection));
                session.Packer.Save();
                return true;
            })
        );

    /// <summary>A file sends nothing to anybody.</summary>
    public Task<bool> TrySwitchSchedulingAsync(Href calendar, bool on, CancellationToken cancel) => Task.FromResult(true);

    public ValueTask DisposeAsync()
    {
        session.Dispose();
        return ValueTask.CompletedTask;
    }

    private ItemWrite Put(PackedCollection packed, Href item, ReadOnlyMemory<byte> octets)
    {
        var begin = kind is Kind.Contacts ? "BEGIN:VCARD"u8 : "BEGIN:VCALENDAR"u8;
        var text = octets.Span.TrimStart(" \t\r\n"u8);
        if (text.Length < begin.Length || !System.Text.Ascii.EqualsIgnoreCase(text[..begin.Length], begin))
            return new ItemWrite.Refused(
                new Fault(Cause.ItemRefused, session.Account, $"this is no {(kind is Kind.Contacts ? "vCard" : "iCalendar object")}")
            );
        session.Packer.PutItem(packed, item.Name, octets.Span, ItemLabel.Of(ItemComponent.Parse(octets)).Title);
        return new ItemWrite.Taken();
    }

    /// <summary>Whole, and compared with what was packed; null where it is something else.</summary>
    private byte[]? TryRead(PackedItem item)
    {
        try
        {
            using var stream = session.View.OpenItem(item.Part, item.PathHash);
            if (stream.Length != item.Size || item.Size > LargestItem)
                return null;
            var octets = new byte[item.Size];
            stream.ReadExactly(octets);
            return PackedDigest.Of(SHA256.HashData(octets)) == item.Digest ? octets : null;
        }
        catch (Exception e) when (e is ParcelException { Cause: ParcelCause.Damaged } or EndOfStreamException)
        {
            return null;
        }
    }

    /// <summary>The collection itself, or the one of an item.</summary>
    private PackedCollection CollectionOf(Href href)
    {
        session.View.LoadItems();
        return session.View.State.Collections.Values.FirstOrDefault(c =>
            c.Kind == PackedKind && (HrefOf(c) == href || href.IsItemOf(HrefOf(c)))
        )
            ?? throw new FaultException(
                new Fault(Cause.CollectionRefused, session.Account, $"there is no collection {href} in the parcel"),
                Verdict.Keep
            );
    }

    private static Href HrefOf(PackedCollection packed) => s_root.Item(packed.Name);

    private static CollectionState StateOf(PackedCollection packed) =>
        new(
            HrefOf(packed),
            PropertiesOf(packed),
            CollectionStanding.Own,
            new CollectionMark(new SyncToken(string.Create(CultureInfo.InvariantCulture, $"parcel:{packed.Id}:{packed.Mark}")), null)
        )
        {
            IsDefault = packed.IsDefault,
        };

    private static ulong? MarkOf(SyncToken? token, PackedCollection packed) =>
        token is { } given
        && given.ToString().Split(':') is ["parcel", var id, var mark]
        && id == packed.Id.ToString(CultureInfo.InvariantCulture)
        && ulong.TryParse(mark, CultureInfo.InvariantCulture, out var known)
        && known <= packed.Mark
            ? known
            : null;

    private static ItemState StateOf(PackedCollection packed, PackedItem item) => new(HrefOf(packed).Item(item.Name), TagOf(item));

    private static ETag TagOf(PackedItem item) => new($"\"{item.Digest.Hex}\"");

    private static ImmutableSortedDictionary<string, string> WordsOf(CollectionProperties properties)
    {
        var words = ImmutableSortedDictionary.CreateBuilder<string, string>();
        void Put(string word, string? value)
        {
            if (value is not null)
                words[word] = value;
        }
        Put(CollectionWords.Title, properties.Name);
        Put(CollectionWords.Description, properties.Description);
        Put(CollectionWords.Colour, properties.Colour);
        Put(CollectionWords.Order, properties.Order);
        Put(CollectionWords.TimeZone, properties.TimeZone);
        Put(
            CollectionWords.IsTransparent,
            properties.IsTransparent is { } is_
                ? is_
                    ? "true"
                    : "false"
                : null
        );
        Put(CollectionWords.Components, properties.Components.IsEmpty ? null : string.Join(' ', properties.Components));
        return words.ToImmutable();
    }

    private static CollectionProperties PropertiesOf(PackedCollection packed)
    {
        string? Of(string word) => packed.Properties.GetValueOrDefault(word);
        return new CollectionProperties(
            Of(CollectionWords.Title),
            Of(CollectionWords.Description),
            Of(CollectionWords.Colour),
            Of(CollectionWords.Order),
            Of(CollectionWords.TimeZone),
            Of(CollectionWords.IsTransparent) is { } transparent ? transparent == "true" : null
        )
        {
            Components = [.. Of(CollectionWords.Components)?.Split(' ') ?? []],
        };
    }
}
