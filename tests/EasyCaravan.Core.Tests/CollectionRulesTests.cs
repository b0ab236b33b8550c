using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests;

/// <summary>Where collections land, how their addresses are compared, and how an object is changed at one place.</summary>
public sealed class CollectionRulesTests
{
    private static readonly Dictionary<Href, Href> s_nobody = [];
    private static readonly string[] s_titles = ["Crew", "crew", "Family", "Crew (2)"];

    [Fact]
    public void The_default_meets_the_default_a_name_its_name_and_two_of_one_name_stay_two()
    {
        CollectionState[] from = [Book("a", "Personal", isDefault: true), Book("b", "Crew"), Book("c", "crew"), Book("d", "New")];
        CollectionState[] to = [Book("x", "Contacts", isDefault: true), Book("y", "Crew")];
        var landings = CollectionMap.Draw(CollectionRules.Default, from, to, s_nobody).ToDictionary(l => l.From.Title);
        Assert.Equal(("Contacts", "by its use"), (landings["Personal"].Title, landings["Personal"].Why));
        Assert.Equal((to[1].Href, "by its name"), (landings["Crew"].To!.Href, landings["Crew"].Why));
        Assert.Equal((null, "crew (2)"), (landings["crew"].To, landings["crew"].Title));
        Assert.Equal((null, "New"), (landings["New"].To, landings["New"].Title));
    }

    [Fact]
    public void Rules_come_first_what_is_shared_stays_and_a_known_place_is_kept()
    {
        var rules = CollectionRules.Default with { Collections = [new(1, "Old*", null), new(2, "Fam*", "Contacts")] };
        CollectionState[] from =
        [
            Book("a", "Old stuff"),
            Book("b", "Family"),
            Book("c", "Boss", standing: CollectionStanding.Shared),
            Book("d", "Renamed since"),
        ];
        CollectionState[] to = [Book("x", "Contacts"), Book("y", "Crew")];
        var known = new Dictionary<Href, Href> { [from[3].Href] = to[1].Href };
        var landings = CollectionMap.Draw(rules, from, to, known).ToDictionary(l => l.From.Title);
        Assert.Equal((null, "rule 1 (Old*)"), (landings["Old stuff"].Title, landings["Old stuff"].Why));
        Assert.Equal((to[0].Href, "rule 2 (Fam*)"), (landings["Family"].To!.Href, landings["Family"].Why));
        Assert.Equal((null, "shared: leave (shared by somebody else)"), (landings["Boss"].Title, landings["Boss"].Why));
        Assert.Equal(("Crew", "as before"), (landings["Renamed since"].Title, landings["Renamed since"].Why));
        var shared = CollectionMap.Draw(rules with { CarriesShared = true }, from, to, known).Single(l => l.From.Title == "Boss");
        Assert.Equal("Boss", shared.Title);
    }

    /// <summary>No two collections land in one place unless a rule sends them there.</summary>
    [Fact]
    public void Without_rules_no_two_land_in_one_place()
    {
        var books = Gen.Select(Gen.Int[0, 3].Select(i => s_titles[i]), Gen.Bool).Array[0, 6];
        Gen.Select(books, books)
            .Sample(
                (from, to) =>
                {
                    var landings = CollectionMap.Draw(
                        CollectionRules.Default,
                        [.. from.Select((b, i) => Book($"f{i}", b.Item1, b.Item2))],
                        [.. to.Select((b, i) => Book($"t{i}", b.Item1, b.Item2))],
                        s_nobody
                    );
                    Assert.Equal(from.Length, landings.Count);
                    var places = landings.Select(l => l.To is { } place ? place.Href.ToString() : l.Title!.ToUpperInvariant()).ToList();
                    Assert.Equal(places.Count, places.Distinct().Count());
                }
            );
    }

    [Theory]
    [InlineData("/a%40b/c/", "/a@b/c", true)]
    [InlineData("/caf%C3%A9/", "/caf%c3%a9", true)]
    [InlineData("/a%2Fb/", "/a/b/", false)]
    [InlineData("/a/B", "/a/b", false)]
    [InlineData("/100%", "/100%25", true)]
    public void Paths_are_the_same_however_they_are_encoded(string one, string other, bool same) =>
        Assert.Equal(same, new Href(one) == new Href(other));

    [Fact]
    public void An_item_s_name_comes_back_as_it_was() =>
        Gen.String[1, 20]
            .Where(s => !s.Contains('/') && s.All(c => !char.IsSurrogate(c)))
            .Sample(name =>
            {
                var item = new Href("/home/book/").Item(name);
                Assert.Equal(name, item.Name);
                Assert.True(item.IsItemOf(new Href("/home/book")) && !item.IsItemOf(new Href("/home")));
                Assert.True(Uri.TryCreate($"http://h{item}", UriKind.Absolute, out _));
            });

    [Fact]
    public void An_editor_changes_one_place_and_leaves_every_other_octet()
    {
        var octets =
            "BEGIN:VEVENT\r\nATTENDEE;CN=\"A:B\";\r\n RSVP=TRUE:mailto:x\nMETHOD:PUBLISH\r\nNOTE:caf\u00e9\r\nEND:VEVENT"u8.ToArray();
        var component = ItemComponent.Parse(octets).Children[0];
        var editor = new ItemEditor(octets);
        Assert.True(editor.AddParameter(component.Find("ATTENDEE")!.Value, "SCHEDULE-AGENT=NONE"));
        editor.Remove(component.Find("METHOD")!.Value);
        editor.AddAfter(component.Find("NOTE")!.Value, "UID:1");
        Assert.Equal(
            "BEGIN:VEVENT\r\nATTENDEE;SCHEDULE-AGENT=NONE;CN=\"A:B\";\r\n RSVP=TRUE:mailto:x\nNOTE:caf\u00e9\r\nUID:1\r\nEND:VEVENT",
            Encoding.UTF8.GetString(editor.Apply())
        );
    }

    private static CollectionState Book(
        string path,
        string name,
        bool isDefault = false,
        CollectionStanding standing = CollectionStanding.Own
    ) => new(new Href($"/home/{path}/"), new CollectionProperties(name), standing, default) { IsDefault = isDefault };
}
