using CsCheck;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>What a survey tells of items before they are carried.</summary>
public sealed class CollectionPreviewTests : CollectionRoad
{
    [Fact]
    public void Carrying_does_what_the_preview_said() =>
        Gen.Select(Gen.Int[0, 1_000_000], Gen.Enum<ItemDoubles>())
            .Sample(
                (seed, doubles) =>
                {
                    (_from, _to, _ledger, _kept) = (new("/old/"), new("/new/"), new(), new());
                    _rules = CollectionRules.Default with { Doubles = doubles };
                    var chance = new Random(seed);
                    var (book, there) = (_from.Make("Crew"), _to.Make("Crew"));
                    string Somebody(string uid) =>
                        Person(
                            chance.Next(4) == 0 ? $"shared-{chance.Next(3)}-{uid[0]}" : uid,
                            $"Sailor {(char)('A' + chance.Next(4))}",
                            [
                                .. new[]
                                {
                                    $"EMAIL:{chance.Next(4)}@saltmarsh.example",
                                    $"TEL:+353 1 555 01{chance.Next(4):00}",
                                    $"ORG:{(chance.Next(2) == 0 ? "Ferries" : "Quay")}",
                                    "NOTE:likes herring",
                                }.Where(_ => chance.Next(2) == 0),
                            ]
                        );
                    for (var i = 0; i < 8; i++)
                    {
                        book.Put($"{i}.vcf", Somebody($"a{i}"));
                        there.Put($"x{i}.vcf", Somebody($"b{i}"));
                    }
                    var survey = Survey();
                    var told = survey.From.Single().Forecast!;
                    var waits = survey.Lines.Count(l => l.Why?.Contains("wait for you", StringComparison.Ordinal) is true);
                    var before = there.Items.ToDictionary(i => i.Key, i => i.Value.Octets);
                    var tally = Run();
                    Assert.Equal(
                        (told.New + told.Unclear - waits, told.Same + told.Merge, (long)waits),
                        (tally.Carried, tally.Paired, tally.LeftBehind)
                    );
                    // What a merge was told of gained something, and nobody else but those that were told to contradict.
                    var changed = before.Count(b => !b.Value.SequenceEqual(there.Items[b.Key].Octets));
                    Assert.InRange(changed, told.Merge, told.Merge + waits);
                },
                iter: 150,
                threads: 1
            );
}
