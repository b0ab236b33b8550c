using EasyCaravan.Contract;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels;

/// <summary>What of a parcel's messages and items is looked for; null: it does not matter.</summary>
/// <param name="Kind">Messages, contacts or events.</param>
/// <param name="Folder">The folder's, address book's or calendar's whole name.</param>
/// <param name="From">Part of the sender, in any case.</param>
/// <param name="Subject">Part of the subject, of a contact's name or of what an event is called, in any case.</param>
/// <param name="Since">Messages received at this time or later.</param>
/// <param name="Before">Messages received before this time.</param>
public sealed record ParcelQuery(
    MoveKind? Kind = null,
    string? Folder = null,
    string? From = null,
    string? Subject = null,
    DateTimeOffset? Since = null,
    DateTimeOffset? Before = null
);

/// <summary>Tells what a parcel holds, from its manifests alone.</summary>
public static class ParcelLook
{
    /// <summary>Loads the parcel's items.</summary>
    public static ParcelContents ContentsOf(ParcelFiles files)
    {
        files.LoadItems();
        var last = files.Parts[^1];
        return new ParcelContents(
            files.Name,
            last.Header.Account,
            last.Header.Service,
            last.IsEncrypted,
            last.Header.Ended,
            last.Header.Rules,
            [.. files.Parts.Select(PartOf)],
            [.. FoldersOf(files.State)]
        );
    }

    public static ParcelPartView PartOf(ParcelPart part) =>
        new(
            part.FileName,
            part.Header.Part,
            part.Header.Packing,
            part.Header.IsComplete,
            part.Header.Began,
            part.Header.Ended,
            part.Archive.Length,
            part.Header.By
        );

    /// <summary>The messages and items that are there now and fit, in the order in which they were packed.</summary>
    public static IEnumerable<ParcelItemView> Find(ParcelFiles files, ParcelQuery query, string? password)
    {
        files.LoadItems();
        var (messages, items) = PlacesOf(files.State, query);
        foreach (var part in files.Parts)
        foreach (var record in part.ReadManifest(password))
            if (
                record is MessageRecord m
                && messages.TryGetValue((part.Header.Part, ZipPlaces.HashOf(m.Path)), out var message)
                && Fits(m, query)
            )
                yield return new ParcelItemView(
                    MoveKind.Mail,
                    NameOf(message.Folder),
                    part.FileName,
                    m.Path,
                    m.Size,
                    m.Sha256,
                    m.Received,
                    m.Label.From,
                    m.Label.Subject,
                    files.State.FlagsOf(message.Message)
                );
            else if (
                record is ItemRecord i
                && items.TryGetValue((part.Header.Part, ZipPlaces.HashOf(i.Path)), out var collection)
                && (query.Subject is null || TitleOf(i).Contains(query.Subject, StringComparison.OrdinalIgnoreCase))
            )
                yield return new ParcelItemView(
                    collection.Kind,
                    collection.Title,
                    part.FileName,
                    i.Path,
                    i.Size,
                    i.Sha256,
                    null,
                    "",
                    TitleOf(i),
                    []
                );
    }

    /// <summary>What people know it by; else the name of its object.</summary>
    private static string TitleOf(ItemRecord item) => item.Title.Length > 0 ? item.Title : item.Name;

    /// <summary>A folder's names with <c>/</c> between them; one within a name has a backslash before it.</summary>
    public static string NameOf(PackedFolder folder) =>
        string.Join(
            '/',
            folder.Names.Select(n => n.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("/", "\\/", StringComparison.Ordinal))
        );

    private static IEnumerable<ParcelFolderView> FoldersOf(ParcelState state)
    {
        foreach (var folder in state.Folders.Values)
        {
            var octets = 0L;
            DateTimeOffset? oldest = null;
            DateTimeOffset? newest = null;
            foreach (ref readonly var message in folder.Messages)
            {
                octets += message.Size;
                oldest = oldest < message.Received ? oldest : message.Received;
                newest = newest > message.Received ? newest : message.Received;
            }
            yield return new ParcelFolderView(MoveKind.Mail, NameOf(folder), folder.Use, folder.Count, octets, oldest, newest);
        }
        foreach (var collection in state.Collections.Values)
            yield return new ParcelFolderView(
                collection.Kind,
                collection.Title,
                null,
                collection.Count,
                collection.Items.Values.Sum(i => i.Size),
                null,
                null
            );
    }

    private static (
        Dictionary<(int Part, ulong Path), (PackedFolder Folder, PackedMessage Message)> Messages,
        Dictionary<(int Part, ulong Path), PackedCollection> Items
    ) PlacesOf(ParcelState state, ParcelQuery query)
    {
        var messages = new Dictionary<(int, ulong), (PackedFolder, PackedMessage)>();
        bool IsWanted(MoveKind kind, string name) => (query.Kind ?? kind) == kind && (query.Folder ?? name) == name;
        foreach (var folder in state.Folders.Values.Where(f => IsWanted(MoveKind.Mail, NameOf(f))))
        foreach (ref readonly var message in folder.Messages)
            messages[(message.Part, message.PathHash)] = (folder, message);
        var items = new Dictionary<(int, ulong), PackedCollection>();
        var isOfMail = query.From is not null || query.Since is not null || query.Before is not null;
        foreach (var collection in state.Collections.Values.Where(c => !isOfMail && IsWanted(c.Kind, c.Title)))
        foreach (var item in collection.Items.Values)
            items[(item.Part, item.PathHash)] = collection;
        return (messages, items);
    }

    private static bool Fits(MessageRecord message, ParcelQuery query) =>
        (query.From is null || message.Label.From.Contains(query.From, StringComparison.OrdinalIgnoreCase))
        && (query.Subject is null || message.Label.Subject.Contains(query.Subject, StringComparison.OrdinalIgnoreCase))
        && (query.Since is null || message.Received >= query.Since)
        && (query.Before is null || message.Received < query.Before);
}
