using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Compares an item with one that the person has on the new side already, which may say more and stays as it is.</summary>
internal static class ForeignItem
{
    /// <summary>Changes that are told of one item.</summary>
    private const int MostChanges = 5;

    private const int PreviewLength = 160;

    /// <summary>What it says and the one that is there does not, each in words.</summary>
    public static IEnumerable<string> Lacks(Kind kind, ItemComponent item, ReadOnlyMemory<byte> octets, ReadOnlyMemory<byte> there) =>
        kind is Kind.Contacts
            ? ContactMerge.Lacking(there, item).Select(l => $"{l.Name} is not there{Quoted(l.Name, l.Text(PreviewLength))}")
            : Lost(ItemForm.Of(octets).Without("UID"), ItemForm.Of(there).Without("UID"));

    /// <summary>What was lost or changed between the two, each in words.</summary>
    public static IEnumerable<string> Lost(ItemForm sent, ItemForm stored) =>
        ItemComparison.Of(sent, stored) is { Likeness: ItemLikeness.Damaged } comparison
            ? comparison.Changes.Where(c => c.Kind is not ItemChangeKind.Added).Select(Words)
            : [];

    public static string Tell(IReadOnlyCollection<string> changes) =>
        string.Join("; ", changes.Take(MostChanges)) + (changes.Count > MostChanges ? $"; and {changes.Count - MostChanges} more" : "");

    private static string Words(ItemChange change) =>
        change.Kind is ItemChangeKind.Lost
            ? $"{change.Name} is lost{Quoted(change.Name, change.Before)}"
            : $"{change.Name} is changed from '{Short(change.Before)}' to '{Short(change.After)}'";

    /// <summary>How a picture begins tells nobody anything.</summary>
    private static string Quoted(string name, string? value) => name is "PHOTO" or "LOGO" or "SOUND" or "KEY" ? "" : $" ('{Short(value)}')";

    private static string Short(string? value) =>
        value is null ? ""
        : value.Length > 60 ? $"{value[..60]}…"
        : value;
}
