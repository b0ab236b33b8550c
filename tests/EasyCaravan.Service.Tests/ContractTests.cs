using System.Net;
using System.Net.Http.Json;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Store.Rows;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>
/// What programs outside may count on: the words of the API, and lists that are searched, put in order and paged by the service.
/// </summary>
public sealed class ContractTests : IAsyncLifetime
{
    private const int People = 25;

    private TestService _service = null!;

    public async ValueTask InitializeAsync()
    {
        _service = await TestService.StartAsync();
        var applied = await _service.ApplyAsync(
            """
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: 1, security: none}}
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: 2, security: none}}
            routes: {crossing: {from: lanternpost, to: northquay}}
            batches: {crew: {route: crossing, roster: crew.csv}}
            """,
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret,note\n"
                    + string.Concat(
                        Enumerable
                            .Range(1, People)
                            .Select(i =>
                                $"Person {(People - i) % 7}-{i},p{i:00}@x.example,p{i:00}@y.example,s,s,{(i % 5 == 0 ? "Pier" : "")}\n"
                            )
                    )
            )
        );
        Assert.True(applied.Code == 0, applied.Error);
    }

    public ValueTask DisposeAsync() => _service.DisposeAsync();

    [Fact]
    public void Every_choice_of_the_API_is_written_as_a_word() =>
        Assert.All(typeof(MoveView).Assembly.GetExportedTypes().Where(t => t.IsEnum), t =>
            Assert.Matches(
                "^\"[a-z-]+\"$",
                System.Text.Json.JsonSerializer.Serialize(Enum.GetValues(t).GetValue(0), t, ContractJson.Options)
            )
        );

    [Fact]
    public void Every_word_of_the_API_has_its_value_inside()
    {
        static void Same<TWord, TInside>(params TWord[] beyond)
            where TWord : struct, Enum
            where TInside : struct, Enum =>
            Assert.Equal(
                Enum.GetNames<TInside>().Where(n => n != "None").Order(),
                Enum.GetNames<TWord>().Except(beyond.Select(b => b.ToString())).Order()
            );
        Same<MoveStage, Stage>();
        Same<MoveCondition, ConditionKind>();
        Same<MoveKind, Kind>();
        Same<PassWord, PassKind>();
        Same<LeftBehindWord, LeftBehindState>();
        Same<DifferenceWord, DifferenceKind>();
        Same<DifferenceStateWord, DifferenceState>(DifferenceStateWord.Told);
        Same<DifferenceChoice, DifferenceDecision>();
        Same<FindingWeight, Weight>();
        Same<DecisionReach, DecisionScope>();
        Same<FolderUse, SpecialUse>();
        Same<Bottleneck, HeldBackBy>();
        Same<MailProtocolWord, MailProtocol>();
    }

    [Theory]
    [InlineData("")]
    [InlineData("&sort=name&descending=true")]
    [InlineData("&sort=account")]
    [InlineData("&sort=stage")]
    public async Task A_list_page_by_page_is_the_whole_list_once(string order)
    {
        var whole = await AccountsAsync($"limit=1000{order}");
        Assert.Equal(People, whole.Distinct().Count());
        var paged = new List<string>();
        string? cursor = null;
        do
        {
            var page = await _service.GetAsync<Page<MoveView>>(
                $"batches/crew/moves?limit=4{order}{(cursor is null ? "" : $"&cursor={cursor}")}"
            );
            Assert.Equal(People, page.Total);
            paged.AddRange(page.Items.Select(m => m.Account));
            cursor = page.Next;
        } while (cursor is not null);
        Assert.Equal(whole, paged);
        Assert.Equal(whole.Skip(9).Take(4), await AccountsAsync($"limit=4&skip=9{order}"));
        Assert.Empty(await AccountsAsync($"limit=4&skip=900{order}"));
        // From the middle on, with the call's other words kept or left out: none is left out, none is met twice.
        var middle = await _service.GetAsync<Page<MoveView>>($"batches/crew/moves?limit=4&skip=9{order}");
        Assert.Equal(whole.Skip(13).Take(4), await AccountsAsync($"limit=4&skip=9&cursor={middle.Next}{order}"));
        Assert.Equal(whole.Skip(13).Take(4), await AccountsAsync($"limit=4&cursor={middle.Next}{order}"));
    }

    [Fact]
    public async Task Moves_are_searched_and_put_in_order_by_the_service()
    {
        Assert.Equal(["p05@x.example", "p10@x.example"], (await AccountsAsync("search=PIER&limit=2")));
        Assert.Equal(5, (await _service.GetAsync<Page<MoveView>>("batches/crew/moves?search=pier&limit=2")).Total);
        Assert.Equal(["p25@x.example"], await AccountsAsync("sort=account&descending=true&limit=1"));
        Assert.Equal(People, (await AccountsAsync("stage=listed&condition=idle")).Count);
        Assert.Empty(await AccountsAsync("condition=needs-you"));
        var names = (await _service.GetAsync<Page<MoveView>>("batches/crew/moves?sort=name")).Items.Select(m => m.Name).ToList();
        Assert.Equal(names.Order(StringComparer.Ordinal), names);
    }

    [Fact]
    public async Task An_action_reaches_those_who_fit_and_nobody_else()
    {
        var request = new MoveActionRequest(MoveAction.Start, null, new MoveFilter("pier"));
        var answer = await _service.Api.PostAsJsonAsync("/api/v1/batches/crew/actions", request, ContractJson.Options);
        var result = (await answer.Content.ReadFromJsonAsync<MoveActionResult>(ContractJson.Options))!;
        Assert.Equal(["p05", "p10", "p15", "p20", "p25"], result.Changed.Select(a => a[..3]).Order());
        Assert.Equal(People - 5, (await AccountsAsync("stage=listed")).Count);
    }

    [Theory]
    [InlineData("moves?sort=height")]
    [InlineData("moves?stage=asleep")]
    [InlineData("moves?condition=ill")]
    [InlineData("moves?cursor=-1")]
    [InlineData("inventory?sort=height")]
    [InlineData("inventory?cursor=x")]
    [InlineData("findings/rows?cursor=1x")]
    [InlineData("left-behind?cursor=%20")]
    [InlineData("differences?cursor=a")]
    [InlineData("comparison?cursor=1.5")]
    public async Task Words_and_cursors_that_no_list_knows_are_refused(string call)
    {
        using var answer = await _service.Api.GetAsync(new Uri($"/api/v1/batches/crew/{call}", UriKind.Relative));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        var error = (await answer.Content.ReadFromJsonAsync<ErrorAnswer>(ContractJson.Options))!;
        Assert.False(string.IsNullOrEmpty(error.Detail) || string.IsNullOrEmpty(error.Remedy));
    }

    [Theory]
    [InlineData("moves")]
    [InlineData("inventory")]
    [InlineData("findings/rows")]
    [InlineData("left-behind")]
    [InlineData("differences")]
    [InlineData("comparison")]
    public async Task Every_long_list_is_given_in_pages_and_tells_how_many_there_are(string list)
    {
        var page = await _service.GetAsync<Page<System.Text.Json.JsonElement>>($"batches/crew/{list}?limit=1");
        Assert.Equal(list is "moves" or "inventory" ? People : 0, page.Total);
        var second = await _service.GetAsync<Page<System.Text.Json.JsonElement>>(
            $"batches/crew/{list}?limit=1{(page.Next is null ? "" : $"&cursor={page.Next}")}"
        );
        Assert.Equal(page.Total, second.Total);
    }

    [Fact]
    public async Task The_accounts_of_a_batch_are_a_list_too()
    {
        var page = await _service.GetAsync<Page<AccountInventory>>("batches/crew/inventory?limit=3&sort=name&search=person");
        Assert.Equal((3, (long?)People), (page.Items.Count, page.Total));
        var next = await _service.GetAsync<Page<AccountInventory>>($"batches/crew/inventory?limit=3&sort=name&cursor={page.Next}");
        var names = page.Items.Concat(next.Items).Select(a => a.Name).ToList();
        Assert.Equal(names.Order(StringComparer.InvariantCultureIgnoreCase), names);
    }

    private async Task<List<string>> AccountsAsync(string query) =>
        [.. (await _service.GetAsync<Page<MoveView>>($"batches/crew/moves?{query}")).Items.Select(m => m.Account)];
}
