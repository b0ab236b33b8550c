using System.Net;
using System.Net.Http.Headers;
using Microsoft.Playwright;
using Xunit;
using static Microsoft.Playwright.Assertions;

namespace EasyCaravan.Console.Tests;

public sealed class AccessPageTests(ConsoleFixture fixture)
{
    [Fact]
    public async Task A_token_is_made_shown_once_and_revoked()
    {
        var page = await fixture.SignInAsync("/access");
        await page.GetByLabel("Name", new() { Exact = false }).First.FillAsync("night-desk");
        await page.GetByRole(AriaRole.Button, new() { Name = "Make a token" }).ClickAsync();
        var token = await page.Locator("code", new() { HasText = "caravan_" }).TextContentAsync();
        using var program = new HttpClient { BaseAddress = new Uri(page.Url) };
        program.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        using (var answer = await program.GetAsync("/api/v1/today"))
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        await page.ReloadAsync();
        var row = page.Locator("tr", new() { HasText = "night-desk" });
        await Expect(row).ToContainTextAsync("lets its holder in");
        await Expect(page.Locator("body")).Not.ToContainTextAsync(token!);
        await row.GetByRole(AriaRole.Button, new() { Name = "Revoke night-desk" }).ClickAsync();
        await row.GetByRole(AriaRole.Button, new() { Name = "Revoke it" }).ClickAsync();
        await Expect(row).ToContainTextAsync("revoked");
        using (var answer = await program.GetAsync("/api/v1/today"))
            Assert.Equal(HttpStatusCode.Unauthorized, answer.StatusCode);
    }

    [Fact]
    public async Task Signing_out_ends_the_session_for_every_copy_of_its_cookie()
    {
        // A session of its own: all other tests share one.
        var page = await fixture.OpenAsync();
        await page.GotoAsync("/");
        await page.GetByLabel("Access token").First.FillAsync(fixture.Token);
        await page.GetByRole(AriaRole.Button, new() { Name = "Sign in" }).ClickAsync();
        await page.GetByRole(AriaRole.Navigation, new() { Name = "Main" }).WaitForAsync();
        var cookies = string.Join("; ", (await page.Context.CookiesAsync()).Select(c => $"{c.Name}={c.Value}"));
        using var copy = new HttpClient(new HttpClientHandler { UseCookies = false }) { BaseAddress = new Uri(page.Url) };
        copy.DefaultRequestHeaders.Add("Cookie", cookies);
        using (var answer = await copy.GetAsync("/api/v1/today"))
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        await page.GetByRole(AriaRole.Button, new() { Name = "Sign out" }).ClickAsync();
        await page.GetByRole(AriaRole.Button, new() { Name = "Sign in" }).WaitForAsync();
        using (var answer = await copy.GetAsync("/api/v1/today"))
            Assert.Equal(HttpStatusCode.Unauthorized, answer.StatusCode);
    }

    /// <summary>The service's answers with a name that turns text around, hides, forges and would run.</summary>
    [Theory]
    [InlineData("/batches/deckhands")]
    [InlineData("/batches/deckhands/moves/bram.tolland@saltmarsh.example")]
    public async Task A_hostile_name_is_text_that_people_can_read(string path)
    {
        const string Name = "Bram\\u202eexe.fdp\\u0007\\n<img src=x onerror=window.hurt=1>";
        var page = await fixture.SignInAsync("/");
        await page.RouteAsync("**/api/v1/batches/deckhands/**", async route =>
        {
            if (route.Request.ResourceType is not ("fetch" or "xhr"))
            {
                await route.ContinueAsync();
                return;
            }
            var answer = await route.FetchAsync();
            var text = (await answer.TextAsync()).Replace("Bram Tolland", Name, StringComparison.Ordinal);
            await route.FulfillAsync(new() { Response = answer, Body = text });
        });
        await page.GotoAsync(path);
        await Expect(page.Locator("main")).ToContainTextAsync("Bram‹U+202E›exe.fdp‹U+0007›‹U+000A›<img src=x onerror=window.hurt=1>");
        Assert.DoesNotContain('\u202e', await page.ContentAsync());
        Assert.False(await page.EvaluateAsync<bool>("'hurt' in window"));
    }
}
