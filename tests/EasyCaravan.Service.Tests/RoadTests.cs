using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>The road through the service as scripts walk it: client, API, stand-ins.</summary>
public sealed class RoadTests : IAsyncLifetime
{
    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners('.', LargestMessage: 20_000));
    private TestService _service = null!;

    private string Plan =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
            routes:
              crossing:
                from: lanternpost
                to: northquay
                folders: [{match: Spam, leave: true}]
                mail: {since: 2020-01-01}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private const string Roster =
        "name,from_account,to_account,from_secret,to_secret\nAoife Marsh,aoife@saltmarsh.example,aoife@saltmarsh.example,s,s\n"
        + "Bram Tolland,bram@saltmarsh.example,bram@saltmarsh.example,s,s\n";

    public async ValueTask InitializeAsync()
    {
        _service = await TestService.StartAsync();
        foreach (var name in new[] { "aoife", "bram" })
        {
            var box = _from.AddAccount($"{name}@saltmarsh.example", "s");
            _to.AddAccount($"{name}@saltmarsh.example", "s");
            for (var i = 0; i < 12; i++)
                box.Find("INBOX")!.Add(Message(i, 400), ["\\Seen"], new DateTimeOffset(2019, 6, 1, 0, 0, 0, TimeSpan.Zero).AddMonths(i));
            box.Make("Spam", "\\Junk").Add(Message(99, 300), [], DateTimeOffset.UtcNow);
        }
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    [Fact]
    public async Task From_a_plan_to_a_waybill_and_an_unchanged_pass_costs_one_look()
    {
        Assert.Equal(0, (await _service.ApplyAsync(Plan, ("crew.csv", Roster))).Code);
        var started = await _service.RunAsync("start", "crew", "--wait");
        Assert.Equal(0, started.Code);
        Assert.Contains("in-step", started.Out, StringComparison.Ordinal);

        using var waybill = JsonDocument.Parse((await _service.RunAsync("waybill", "crew", "--output", "json")).Out);
        var total = waybill.RootElement.GetProperty("total").Deserialize<Counts>(ContractJson.Options);
        // Of each twelve, seven were received before 2020; the one in the left folder is excluded too.
        Assert.Equal(new Counts(26, 10, 0, 16, 0), total);
        Assert.True(waybill.RootElement.GetProperty("closes").GetBoolean());

        _from.Commands.Clear();
        await _service.RunAsync("catch-up", "crew", "--wait");
        Assert.False(_from.Commands.ContainsKey("EXAMINE"), "an unchanged folder is not opened");
    }

    [Fact]
    public async Task What_a_rule_left_out_comes_when_the_rule_is_widened()
    {
        await _service.ApplyAsync(Plan, ("crew.csv", Roster));
        await _service.RunAsync("start", "crew", "--wait");
        await _service.ApplyAsync(Plan.Replace("2020-01-01", "2010-01-01", StringComparison.Ordinal), ("crew.csv", Roster));
        await _service.RunAsync("catch-up", "crew", "--wait");
        Assert.Equal(24, (await _service.GetAsync<BatchWaybill>("batches/crew/waybill")).Total.Carried);
        Assert.Equal(12, _to.Find("aoife@saltmarsh.example")!.Find("INBOX")!.Messages.Count);
    }

    [Fact]
    public async Task A_message_too_large_is_left_behind_accepted_or_tried_again()
    {
        _from.Find("bram@saltmarsh.example")!.Find("INBOX")!.Add(Message(500, 30_000), [], DateTimeOffset.UtcNow);
        await _service.ApplyAsync(Plan, ("crew.csv", Roster));
        Assert.Equal(3, (await _service.RunAsync("start", "crew", "--wait")).Code);

        var left = await _service.RunAsync("left-behind", "crew", "--output", "csv");
        Assert.Equal(3, left.Code);
        Assert.Contains("message-too-large", left.Out, StringComparison.Ordinal);
        Assert.Contains("Tide 500", left.Out, StringComparison.Ordinal);

        Assert.Contains("1 item(s)", (await _service.RunAsync("left-behind", "crew", "--retry")).Out, StringComparison.Ordinal);
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew")).TrueForAll(m => m.Condition is MoveCondition.Idle));
        Assert.Equal(1, (await _service.MovesAsync("crew"))[1].OpenLeftBehind);

        await _service.RunAsync("left-behind", "crew", "--accept");
        Assert.Equal(0, (await _service.RunAsync("left-behind", "crew")).Code);
        Assert.True((await _service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    [Fact]
    public async Task A_connection_that_drops_in_the_middle_is_taken_up_again_and_nothing_comes_twice()
    {
        _to.Find("aoife@saltmarsh.example")!.DropAfter = 3;
        _from.Find("bram@saltmarsh.example")!.DropAfter = 2;
        await _service.ApplyAsync(Plan.Replace("2020-01-01", "2010-01-01", StringComparison.Ordinal), ("crew.csv", Roster));
        Assert.Equal(0, (await _service.RunAsync("start", "crew", "--wait")).Code);
        foreach (var name in new[] { "aoife", "bram" })
            Assert.Equal(12, _to.Find($"{name}@saltmarsh.example")!.Find("INBOX")!.Messages.Count);
    }

    [Fact]
    public async Task Held_moves_stay_where_they_are_and_withdrawn_ones_are_out()
    {
        await _service.ApplyAsync(Plan, ("crew.csv", Roster));
        await _service.RunAsync("hold", "crew", "--move", "Aoife Marsh");
        await _service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew"))[1].Stage is MoveStage.InStep);
        Assert.Equal(
            (MoveStage.Listed, MoveCondition.Held),
            ((await _service.MovesAsync("crew"))[0].Stage, (await _service.MovesAsync("crew"))[0].Condition)
        );
        await _service.RunAsync("resume", "crew");
        Assert.Equal(0, (await _service.RunAsync("start", "crew", "--wait")).Code);
        await _service.RunAsync("withdraw", "crew", "--move", "bram@saltmarsh.example");
        Assert.Equal(MoveStage.Withdrawn, (await _service.MovesAsync("crew"))[1].Stage);
    }

    [Fact]
    public async Task Somebody_who_began_to_move_is_neither_dropped_nor_redirected_by_an_edit()
    {
        await _service.ApplyAsync(Plan, ("crew.csv", Roster));
        await _service.RunAsync("start", "crew", "--wait");
        var dropped = await _service.ApplyAsync(Plan, ("crew.csv", Roster[..Roster.IndexOf("Bram", StringComparison.Ordinal)]));
        Assert.Equal(2, dropped.Code);
        Assert.Contains("bram@saltmarsh.example of batch crew has begun to move", dropped.Error, StringComparison.Ordinal);
        var redirected = await _service.ApplyAsync(
            Plan,
            ("crew.csv", Roster.Replace(",bram@saltmarsh.example,s", ",other@saltmarsh.example,s", StringComparison.Ordinal))
        );
        Assert.Contains("crew.csv:3:", redirected.Error, StringComparison.Ordinal);
        Assert.Equal(2, (await _service.MovesAsync("crew")).Count);
    }

    [Fact]
    public async Task An_invalid_plan_changes_nothing_and_names_every_place()
    {
        await _service.ApplyAsync(Plan, ("crew.csv", Roster));
        var bad = await _service.ApplyAsync(
            Plan.Replace("speaks: imap, host: 127.0.0.1, port: " + _from.Port, "speaks: imap, hosst: x", StringComparison.Ordinal),
            ("crew.csv", "name,from_account\nX,x@y\n")
        );
        Assert.Equal(2, bad.Code);
        Assert.Contains("plan.yaml:3: 'hosst' is not known in 'mail'; did you mean 'host'?", bad.Error, StringComparison.Ordinal);
        Assert.Equal(2, (await _service.MovesAsync("crew")).Count);
        var dry = await _service.RunAsync("plan", "apply", Path.Combine(_service.Folder, "plan", "nothing.yaml"), "--dry-run");
        Assert.Equal(2, dry.Code);
    }

    [Fact]
    public async Task Secrets_are_nowhere_in_clear_not_even_in_the_store()
    {
        const string Secret = "very-secret-rope";
        await _service.ApplyAsync(Plan, ("crew.csv", Roster.Replace(",s,s", $",{Secret},{Secret}", StringComparison.Ordinal)));
        await _service.RunAsync("start", "crew", "--wait");
        Assert.DoesNotContain(Secret, (await _service.RunAsync("plan", "show", "--output", "json")).Out, StringComparison.Ordinal);
        Assert.DoesNotContain(Secret, (await _service.RunAsync("journal", "--output", "json")).Out, StringComparison.Ordinal);
        Assert.DoesNotContain(Secret, (await _service.RunAsync("moves", "crew", "--output", "json")).Out, StringComparison.Ordinal);
        foreach (var file in Directory.GetFiles(_service.Folder, "caravan.db*"))
        {
            await using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
            using var reader = new StreamReader(stream, System.Text.Encoding.Latin1);
            Assert.DoesNotContain(Secret, await reader.ReadToEndAsync(), StringComparison.Ordinal);
        }
    }

    private static byte[] Message(int i, int octets) =>
        System.Text.Encoding.ASCII.GetBytes(
            $"Message-ID: <{i}@saltmarsh.example>\r\nDate: Sat, 1 Jun 2019 00:00:00 +0000\r\nFrom: desk@saltmarsh.example\r\n"
                + $"Subject: Tide {i}\r\n\r\n{new string('t', octets)}\r\n"
        );
}
