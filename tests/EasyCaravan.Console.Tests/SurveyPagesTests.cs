using Microsoft.Playwright;
using Xunit;
using static Microsoft.Playwright.Assertions;

namespace EasyCaravan.Console.Tests;

/// <summary>What a person does in the console before anything moves.</summary>
public sealed class SurveyPagesTests(ConsoleFixture fixture)
{
    [Fact]
    public async Task Findings_tell_what_will_happen_and_a_way_out_is_chosen_for_one_and_taken_back()
    {
        var page = await fixture.SignInAsync("/batches/engineers/survey");
        var finding = page.GetByRole(AriaRole.Region, new() { Name = "Names that the new side keeps for itself" });
        await Expect(finding).ToContainTextAsync("Changes");
        await Expect(finding).ToContainTextAsync("The folder lands under its name with ' (old)' after it");
        await finding.GetByRole(AriaRole.Button, new() { Name = "Whom it touches" }).ClickAsync();
        await finding.GetByLabel("Select siobhan.weir@saltmarsh.example").CheckAsync();
        await finding.GetByLabel("Way out of").ClickAsync();
        await page.GetByRole(AriaRole.Option, new() { Name = "Put something else after the name" }).ClickAsync();
        await finding.GetByLabel("Value:").FillAsync(" (lantern)");
        await finding.GetByRole(AriaRole.Button, new() { Name = "For 1 person chosen" }).ClickAsync();
        await Expect(finding).ToContainTextAsync("✓ decided");
        await Expect(finding).ToContainTextAsync("'Outbox' becomes 'Outbox (lantern)'");
        await finding.GetByRole(AriaRole.Button, new() { Name = "Take back" }).ClickAsync();
        await Expect(finding).ToContainTextAsync("1 to decide");
    }

    [Fact]
    public async Task A_closed_door_shows_the_remedy_of_the_services_own_definition()
    {
        var page = await fixture.SignInAsync("/batches/engineers/survey");
        var finding = page.GetByRole(AriaRole.Region, new() { Name = "Accounts at which the sign-in fails" });
        await finding.GetByRole(AriaRole.Button, new() { Name = "Whom it touches" }).ClickAsync();
        await Expect(finding).ToContainTextAsync("Have its owner make an app password at my.lanternpost.example");
        await Expect(finding).ToContainTextAsync("Have mail over this protocol switched on");
    }

    [Fact]
    public async Task Leaving_trash_out_is_chosen_where_its_saving_is_told()
    {
        var page = await fixture.SignInAsync("/batches/harbour-office/survey");
        var row = page.GetByRole(AriaRole.Region, new() { Name = "What leaving out would save" })
            .Locator("tbody tr")
            .Filter(new() { HasText = "Leave the trash behind" });
        await row.GetByRole(AriaRole.Button).ClickAsync();
        await Expect(row).ToHaveCountAsync(0);
        await page.GetByRole(AriaRole.Link, new() { Name = "Folders" }).ClickAsync();
        await Expect(page.GetByText("left out by decided (use trash)").First).ToBeVisibleAsync();
    }

    [Fact]
    public async Task Rules_are_tried_while_they_are_written_and_put_in_force_in_the_plan()
    {
        var page = await fixture.SignInAsync("/batches/deckhands/folders");
        var rules = page.GetByLabel("Folder rules");
        var before = await rules.InputValueAsync();
        await rules.FillAsync(before + "- {match: Drafts, leave: tru}\n");
        await Expect(page.GetByText("Line 3:")).ToBeVisibleAsync();
        await rules.FillAsync(before + "- {match: Drafts, leave: true}\n");
        await Expect(page.GetByRole(AriaRole.Heading, new() { Name = "Where folders would land" })).ToBeVisibleAsync();
        await Expect(page.GetByText("left out by rule 3 (Drafts)").First).ToBeVisibleAsync();
        await page.GetByRole(AriaRole.Button, new() { Name = "Back to what is in force" }).ClickAsync();
        await Expect(page.GetByRole(AriaRole.Heading, new() { Name = "Where folders land" })).ToBeVisibleAsync();
        await rules.FillAsync(before + "- {match: Nowhere, leave: true}\n");
        await page.GetByRole(AriaRole.Button, new() { Name = "Put in force" }).ClickAsync();
        await Expect(page.GetByText("The rules are in force")).ToBeVisibleAsync();
        await page.GetByRole(AriaRole.Link, new() { Name = "Plan" }).ClickAsync();
        await Expect(page.GetByLabel("The plan's text")).ToContainTextAsync("match: Nowhere");
        await Expect(page.GetByLabel("The plan's text")).ToContainTextAsync("# Saltmarsh Ferries leaves Lanternpost");
    }

    [Fact]
    public async Task A_trial_shows_every_step_and_a_move_what_its_survey_found()
    {
        var page = await fixture.SignInAsync("/services");
        var card = page.GetByRole(AriaRole.Region, new() { Name = "northquay" });
        await card.GetByLabel("Account to try").FillAsync("aoife.marsh@saltmarsh.example");
        await card.GetByRole(AriaRole.Button, new() { Name = "Try" }).ClickAsync();
        foreach (var step in new[] { "token", "resolve", "connect", "sign in", "capabilities", "list", "write" })
            await Expect(card.Locator("tbody")).ToContainTextAsync(step);
        await page.GotoAsync("/batches/engineers/moves/siobhan.weir@saltmarsh.example");
        await Expect(page.GetByText("1 message dated after the survey")).ToBeVisibleAsync();
        var folder = page.GetByRole(AriaRole.Region, new() { Name = "Folders", Exact = true })
            .Locator("tbody tr")
            .Filter(new() { HasText = "Engines/Port/Overhaul - 2019" });
        // The folder has one row, with its place on the new side and its sums.
        await Expect(folder).ToHaveCountAsync(1);
        await Expect(folder).ToContainTextAsync("close");
    }
}
