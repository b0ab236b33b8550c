using Microsoft.Playwright;
using Xunit;

namespace EasyCaravan.Console.Tests;

/// <summary>
/// The pictures of docs/screenshots, made when they are asked for (-explicit only), in the folder that CARAVAN_SCREENSHOTS names. That all
/// pages draw is seen where they are tried for accessibility.
/// </summary>
public sealed class ScreenshotTests(ConsoleFixture fixture)
{
    [Theory(Explicit = true)]
    [InlineData("today", "/", false)]
    [InlineData("batch", "/batches/deckhands", false)]
    [InlineData("move", "/batches/deckhands/moves/bram.tolland@saltmarsh.example", false)]
    [InlineData("crossing", "/batches/harbour-office/crossing", false)]
    [InlineData("waybill-page", "/api/v1/batches/harbour-office/waybill/page", false)]
    [InlineData("differences", "/batches/harbour-office/moves/jonas.kettle@saltmarsh.example", false)]
    [InlineData("survey", "/batches/engineers/survey", false)]
    [InlineData("folders", "/batches/engineers/folders", false)]
    [InlineData("collections", "/batches/deckhands/collections", false)]
    [InlineData("parcels", "/parcels", false)]
    [InlineData("timetable", "/batches/engineers/timetable", false)]
    [InlineData("notices", "/notices", false)]
    [InlineData("plan", "/plan", false)]
    [InlineData("services", "/services", false)]
    public async Task A_page_draws(string name, string path, bool dark)
    {
        var page = await fixture.SignInAsync(path.StartsWith("/api", StringComparison.Ordinal) ? "/plan" : path, dark);
        if (path.StartsWith("/api", StringComparison.Ordinal))
            await page.GotoAsync(path);
        await page.Locator("h1").WaitForAsync();
        if (path == "/")
        {
            await fixture.MakeBusyAsync();
            await page.Locator("[role=progressbar][aria-label*='share of messages']:not([aria-valuenow='0'])").First.WaitForAsync();
        }
        if (path == "/services")
        {
            var card = page.GetByRole(AriaRole.Region, new() { Name = "northquay" });
            await card.GetByLabel("Account to try at northquay").FillAsync("aoife.marsh@saltmarsh.example");
            await card.GetByRole(AriaRole.Button, new() { Name = "Try" }).ClickAsync();
            await card.GetByText("All is well").WaitForAsync();
        }
        if (name == "parcels")
        {
            await page.GetByRole(AriaRole.Button, new() { Name = "Pack somebody…" }).ClickAsync();
            await page.GetByLabel("Accounts", new() { Exact = true })
                .FillAsync("aoife.marsh@saltmarsh.example liam.ormsby@saltmarsh.example maeve.harrow@saltmarsh.example");
            await page.GetByRole(AriaRole.Button, new() { Name = "Pack 3 accounts" }).ClickAsync();
            await page.GetByRole(AriaRole.Region, new() { Name = "Packed and unpacked" }).WaitForAsync();
            await page.Locator(".mantine-Notification-root").First.WaitForAsync(new() { State = WaitForSelectorState.Detached });
        }
        if (name == "batch")
            await page.Locator("tbody tr[aria-rowindex]").First.WaitForAsync();
        if (name == "differences")
            await page.GetByRole(AriaRole.Heading, new() { Name = "Differences between the sides" })
                .EvaluateAsync("e => e.scrollIntoView()");
        var picture = await page.ScreenshotAsync(new() { Animations = ScreenshotAnimations.Disabled });
        Assert.True(picture.Length > 20_000, "The page is nearly empty.");
        if (Environment.GetEnvironmentVariable("CARAVAN_SCREENSHOTS") is { Length: > 0 } folder)
            await File.WriteAllBytesAsync(Path.Combine(folder, $"{name}.png"), picture);
    }
}
