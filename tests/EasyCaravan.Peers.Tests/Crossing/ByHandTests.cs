using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Crossing;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Crossing;

/// <summary>Forwarding that rules of ours cannot set, addresses that have to be confirmed, and people who keep their address.</summary>
public sealed class ByHandTests
{
    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    private static async Task<CrossingDetail> DetailAsync(TestService service, string who) =>
        await service.GetAsync<CrossingDetail>($"batches/crew/crossing/move?move={who}");

    private static Task UntilAsync(TestService service, string who, Func<CrossingDetail, bool> isSo, int seconds = 60) =>
        TestService.UntilAsync(async () => isSo(await DetailAsync(service, who)), seconds);

    private static Task<PlainSieve> RulesAsync(CrossingWorld world, string who) =>
        PlainSieve.SignInAsync(world.Old.SievePort, $"{who}@{CrossingWorld.OldDomain}", CrossingWorld.Password);

    [Fact]
    public async Task What_rules_cannot_set_a_person_sets_and_confirms_and_whoever_does_not_goes_back()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = ["aoife", "orla", "una"];
        await using var world = await CrossingWorld.StartAsync(people, oldRulesWithout: "copy");
        var old =
            "forwarding: {confirms: {subject: Confirm forwarding, code: \"Your code: {code}\", within: 1m}}\n"
            + "    help: [{says: forwarding, remedy: \"Settings, Mail, Forwarding\"}]";
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan(old: old), people);
        await service.RunAsync("crossing", "crew", "--check", "--wait");
        var gate = (await DetailAsync(service, "aoife")).Crossing.Gates.Single(g => g.Gate is GateWord.Forwarding);
        Assert.Equal(GateColourWord.Amber, gate.Colour);
        Assert.Contains("does not offer the extension copy", gate.Facts, StringComparison.Ordinal);
        foreach (var accepted in new[] { "forwarding", "informed" })
            await service.RunAsync("crossing", "crew", "--accept", accepted, "--because", "We do it by hand");
        var went = await service.RunAsync("crossing", "crew", "--go", "--wait");
        Assert.True(went.Code == 3, went.Out + went.Error);
        Assert.Contains("forwarding of aoife@saltmarsh.example to aoife@northquay.example has to be set by hand", went.Out + went.Error);
        Assert.Contains("Settings, Mail, Forwarding", went.Out + went.Error, StringComparison.Ordinal);

        // Aoife's is set, una's is only said to be, and orla's is both and never confirmed.
        foreach (var who in new[] { "aoife", "orla" })
            using (var rules = await RulesAsync(world, who))
            {
                await rules.PutAsync("by-hand", Encoding.ASCII.GetBytes($"redirect \"{who}@{CrossingWorld.NewDomain}\"; keep;"));
                await rules.ActivateAsync("by-hand");
            }
        await service.RunAsync("crossing", "crew", "--forwarding-is", "on");
        foreach (var who in new[] { "aoife", "una" })
        {
            await UntilAsync(service, who, d => d.Forwarding is { Confirmation: ConfirmationWord.Asked });
            var to = $"{who}@{CrossingWorld.NewDomain}";
            await world.SendAsync(to, $"code-{who}@lanternpost.example", "Confirm forwarding", Cancel, $"Hello.\r\nYour code: {who}-4711");
            await UntilAsync(service, who, d => d.Forwarding is { Confirmation: ConfirmationWord.CodeSeen });
            Assert.Equal($"{who}-4711", (await DetailAsync(service, who)).Forwarding!.Code);
            Assert.Contains($"{who}-4711", (await service.RunAsync("crossing", "crew", "--move", who)).Out, StringComparison.Ordinal);
            await service.RunAsync("crossing", "crew", "--confirmed", "--move", who);
        }
        await UntilAsync(service, "aoife", d => d.Crossing.Stage is MoveStage.Settling);
        await UntilAsync(service, "orla", d => d.Forwarding is { Confirmation: ConfirmationWord.Expired }, 120);
        var orla = (await DetailAsync(service, "orla")).Crossing;
        Assert.Equal((CrossingStepWord.Confirm, MoveCondition.NeedsYou), (orla.Step!.Value, orla.Condition));
        // The probe does not believe that una's is on.
        var una = (await DetailAsync(service, "una")).Crossing;
        Assert.Equal(CrossingStepWord.Probe, una.Step);

        // The way back: what a person set, a person takes off.
        foreach (var who in new[] { "orla", "una" })
        {
            await service.RunAsync("crossing", "crew", "--undo", "--wait", "--move", who);
            await UntilAsync(service, who, d => d.Crossing.What?.Contains("switched off by hand", StringComparison.Ordinal) == true);
            await service.RunAsync("crossing", "crew", "--forwarding-is", "off", "--move", who);
            await UntilAsync(service, who, d => d.Crossing is { Stage: MoveStage.InStep, What: null });
        }
        Assert.Equal(MoveStage.Settling, (await DetailAsync(service, "aoife")).Crossing.Stage);
    }

    [Fact]
    public async Task Where_the_service_takes_its_code_back_nobody_has_to()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = ["aoife", "orla"];
        await using var world = await CrossingWorld.StartAsync(people);
        var given = new List<(string Who, string Form)>();
        await using var settings = new LoopbackHttp(async context =>
        {
            using var reader = new StreamReader(context.Request.InputStream);
            var form = await reader.ReadToEndAsync(Cancel);
            var who = Encoding.UTF8.GetString(Convert.FromBase64String(context.Request.Headers["Authorization"]!["Basic ".Length..]));
            lock (given)
                given.Add((who, form));
            context.Response.StatusCode = form.Contains("code=orla", StringComparison.Ordinal) ? 403 : 204;
            context.Response.Close();
        });
        var old =
            $"forwarding: {{confirms: {{subject: Confirm forwarding, code: \"Your code: {{code}}\", hand-back: \"{settings.Address}\"}}}}";
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan(old: old), people);
        foreach (var who in people)
            await world.SendAsync(
                $"{who}@{CrossingWorld.NewDomain}",
                $"code-{who}@lanternpost.example",
                "Confirm forwarding",
                Cancel,
                $"Your code: {who}-4711"
            );
        await service.RunAsync("crossing", "crew", "--check", "--wait");
        await service.RunAsync("crossing", "crew", "--accept", "informed", "--because", "Told in person");
        var went = await service.RunAsync("crossing", "crew", "--go", "--wait");
        Assert.True(went.Code == 3, went.Out + went.Error);
        Assert.Equal(MoveStage.Settling, (await DetailAsync(service, "aoife")).Crossing.Stage);
        Assert.Contains(("aoife@saltmarsh.example:" + CrossingWorld.Password, "address=aoife%40northquay.example&code=aoife-4711"), given);
        var orla = await DetailAsync(service, "orla");
        Assert.Contains("did not take its code back (403)", orla.Crossing.What, StringComparison.Ordinal);
        Assert.Equal("orla-4711", orla.Forwarding!.Code);
        Assert.DoesNotContain(CrossingWorld.Password, went.Out + went.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Whoever_keeps_their_address_is_forwarded_to_another_one_and_what_its_owner_changes_meanwhile_stays()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = ["aoife", "orla"];
        await using var world = await CrossingWorld.StartAsync(people);
        var roster =
            "name,from_account,to_account,from_secret,to_login,to_secret,forward_to\n"
            + $"aoife,aoife@saltmarsh.example,aoife@saltmarsh.example,{CrossingWorld.Password},aoife@northquay.example,"
            + $"{CrossingWorld.Password},aoife@northquay.example\n"
            + $"orla,orla@saltmarsh.example,orla@saltmarsh.example,{CrossingWorld.Password},orla@northquay.example,"
            + $"{CrossingWorld.Password},\n";
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan(), people, roster: roster);
        await service.RunAsync("crossing", "crew", "--check", "--wait");
        await service.RunAsync("crossing", "crew", "--accept", "informed", "--because", "Told in person");
        var went = await service.RunAsync("crossing", "crew", "--go", "--wait");
        Assert.True(went.Code == 3, went.Out + went.Error);
        Assert.Equal(MoveStage.Settling, (await DetailAsync(service, "aoife")).Crossing.Stage);
        var orla = (await DetailAsync(service, "orla")).Crossing;
        Assert.Contains("the old and the new address are the same", orla.What, StringComparison.Ordinal);

        // Once the batch says where, she crosses as well.
        await service.ApplyAsync(world.Plan("crossing: {forward-to: \"{user}@northquay.example\"}"), ("crew.csv", roster));
        went = await service.RunAsync("crossing", "crew", "--go", "--wait", "--move", "orla");
        Assert.True(went.Code == 0, went.Out + went.Error);
        Assert.Equal("orla@northquay.example", (await DetailAsync(service, "orla")).Crossing.ForwardTo);
        await world.SendAsync("orla@saltmarsh.example", "after@outside.example", "After", Cancel);
        await TestService.UntilAsync(async () => (await world.NewIdsAsync("orla")).Exists(m => m.Id == "after@outside.example"));

        // Its owner puts other rules into force: undoing leaves them.
        using var rules = await RulesAsync(world, "orla");
        var holiday = "keep;\r\n"u8.ToArray();
        await rules.PutAsync("holiday", holiday);
        await rules.ActivateAsync("holiday");
        Assert.Equal(0, (await service.RunAsync("crossing", "crew", "--undo", "--wait", "--move", "orla")).Code);
        Assert.Equal(["*holiday"], await rules.ListAsync());
        Assert.Equal(holiday, await rules.ReadAsync("holiday"));
        Assert.Contains((await DetailAsync(service, "orla")).Acts, a =>
            a.Outcome?.Contains("activated the script holiday", StringComparison.Ordinal) == true
        );
    }
}
