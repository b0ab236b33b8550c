using Deque.AxeCore.Commons;
using Deque.AxeCore.Playwright;
using Microsoft.Playwright;
using Xunit;

namespace EasyCaravan.Console.Tests;

/// <summary>Every page, light and dark: no accessibility violation, and nothing that the content security policy stops.</summary>
public sealed class AccessibilityTests(ConsoleFixture fixture)
{
    private static readonly AxeRunOptions s_colours = new()
    {
        RunOnly = new RunOnlyOptions { Type = "rule", Values = ["color-contrast"] },
    };

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task No_page_has_a_violation(bool dark)
    {
        var page = await fixture.SignInAsync("/", dark);
        var complaints = new List<string>();
        page.Console += (_, message) =>
        {
            if (message.Type is "error" or "warning")
                complaints.Add(message.Text);
        };
        var found = new List<string>();
        foreach (
            var path in new[]
            {
                "/",
                "/batches",
                "/batches/deckhands",
                "/batches/deckhands/moves/bram.tolland@saltmarsh.example",
                "/batches/harbour-office/moves/jonas.kettle@saltmarsh.example",
                "/batches/engineers/survey",
                "/batches/engineers/timetable",
                "/batches/harbour-office/crossing",
                "/batches/harbour-office/aftercare",
                "/batches/engineers/folders",
                "/batches/deckhands/collections",
                "/plan",
                "/services",
                "/journal",
                "/parcels",
                "/notices",
                "/access",
            }
        )
        {
            await page.GotoAsync(path);
            await page.Locator("main h1").WaitForAsync();
            await page.WaitForLoadStateAsync(LoadState.DOMContentLoaded);
            // In the dark only the colours are others.
            var result = dark ? await page.RunAxe(s_colours) : await page.RunAxe();
            found.AddRange(result.Violations.Select(v => $"{path}: {v.Id}: {string.Join(" | ", v.Nodes.Take(3).Select(n => n.Html))}"));
        }
        Assert.Empty(found);
        Assert.Empty(complaints);
    }

    [Fact]
    public async Task The_sign_in_has_no_violation()
    {
        var page = await fixture.OpenAsync();
        await page.GotoAsync("/");
        await page.GetByRole(AriaRole.Button, new() { Name = "Sign in" }).WaitForAsync();
        Assert.Empty((await page.RunAxe()).Violations.Select(v => v.Id));
    }
}
