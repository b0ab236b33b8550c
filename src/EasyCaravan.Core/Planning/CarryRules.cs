using System.Collections.Immutable;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// The rules that hold for one move: its route's, the roster's word for the person, and what people decided about findings. Survey, preview
/// and pass all go by these.
/// </summary>
public sealed record CarryRules(ImmutableArray<FolderRule> Folders, MailRules Mail, Doubles Doubles)
{
    /// <summary>Below which folder of the to side everything lands; null: at its root.</summary>
    public FolderPath? Under { get; init; }

    public string? Root { get; init; }

    public Shaping Shaping { get; init; } = Shaping.Default;

    public Labels Labels { get; init; } = Labels.EachFolder;

    public Deletions Deletions { get; init; } = Deletions.Keep;

    public OldSide OldSide { get; init; } = OldSide.Leave;

    public CollectionRules Contacts { get; init; } = CollectionRules.Default;

    public CollectionRules Calendars { get; init; } = CollectionRules.Default;

    /// <summary>What a roster writes for "not below a folder", or "the person's own folders", where the route says otherwise.</summary>
    public const string AccountRoot = "/";

    /// <param name="under">The roster's word; null: the route's.</param>
    /// <param name="root">The roster's word; null: the route's.</param>
    public static CarryRules For(Route route, string name, string fromAccount, string? under, string? root, IEnumerable<Decision> decisions)
    {
        var rules = new CarryRules(route.Folders, route.Mail, route.Doubles)
        {
            Under = PlaceFor(under ?? route.Under, name, fromAccount),
            Root = (root ?? route.Root) is { } r && r != AccountRoot ? r : null,
            Shaping = route.Shaping,
            Labels = route.Labels,
            Deletions = route.Deletions,
            OldSide = route.OldSide,
            Contacts = route.Contacts,
            Calendars = route.Calendars,
        };
        return Decision.InForce(decisions).Aggregate(rules, (sum, decision) => decision.Apply(sum));
    }

    /// <summary>Fills the placeholders; a slash in a person's name stays within the one folder's name.</summary>
    public static FolderPath? PlaceFor(string? under, string name, string fromAccount)
    {
        if (under is null or AccountRoot)
            return null;
        var names = FolderPath
            .Parse(under)
            .Names.Select(n =>
                n.Replace("{name}", name, StringComparison.Ordinal).Replace("{account}", fromAccount, StringComparison.Ordinal)
            );
        return FolderPath.Of(names);
    }
}
