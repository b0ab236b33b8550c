using System.Collections.Concurrent;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Crossing;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Crossing;

/// <summary>
/// The evening of a crossing: people of two old services cross while mail comes in, and while they read, sort and tidy up on both sides.
/// Afterwards every message is at the new address exactly once, as a client of the tests' own sees it.
/// </summary>
public sealed class EveningTests
{
    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    [Fact]
    public Task Eight_people_cross_while_mail_comes_in() => CrossAsync(5, 3, TimeSpan.FromMilliseconds(300));

    [Fact(Explicit = true)]
    public Task Thirty_people_cross_while_mail_comes_in() => CrossAsync(20, 10, TimeSpan.FromMilliseconds(33));

    /// <summary>What somebody did with their mail, so that it is known what has to be there in the end.</summary>
    private sealed class Doings
    {
        /// <summary>Message-IDs that outside senders were told had been taken, by person.</summary>
        public ConcurrentDictionary<string, ConcurrentBag<string>> Sent { get; } = new();

        /// <summary>Read by their owner on the new side.</summary>
        public ConcurrentDictionary<string, byte> Read { get; } = new();

        /// <summary>The people of the first batch have crossed.</summary>
        public bool HasCrossed { get; set; }
    }

    private static async Task CrossAsync(int crew, int mates, TimeSpan pause)
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = [.. Enumerable.Range(0, crew).Select(i => $"crew{i}")];
        string[] others = [.. Enumerable.Range(0, mates).Select(i => $"mate{i}")];
        await using var world = await CrossingWorld.StartAsync(people, others);
        var doings = new Doings();
        foreach (var person in people.Concat(others))
            doings.Sent[person] = [];
        for (var i = 0; i < 3 * (crew + mates); i++)
            await SendAsync(world, doings, [.. people, .. others], people.Length, i, "early");
        await using var service = await CrossingWorld.StartServiceAsync(
            world.Plan("timetable: {zone: UTC, aftercare: {stragglers-every: 1m}}\ncrossing: {wave: 4, stop-at: 50%}"),
            people,
            others
        );
        using var evening = CancellationTokenSource.CreateLinkedTokenSource(Cancel);
        var post = PostAsync(world, doings, people, others, pause, evening.Token);
        var life = Task.WhenAll([
            .. people.Concat(others).Select(p => LiveAsync(world, doings, p, evening.Token)),
            .. people.Select(p => LiveOnOldSideAsync(world, doings, p, evening.Token)),
        ]);
        foreach (var batch in new[] { "crew", "mates" })
        {
            await service.RunAsync("crossing", batch, "--check");
            await service.RunAsync("crossing", batch, "--accept", "informed", "--because", "Told in person");
            var went = await service.RunAsync("crossing", batch, "--go", "--wait");
            Assert.True(went.Code == 0, went.Out + went.Error);
            doings.HasCrossed = true;
        }
        // It goes on for a while after everybody has crossed.
        var sent = doings.Sent.Values.Sum(s => s.Count);
        await TestService.UntilAsync(() => Task.FromResult(doings.Sent.Values.Sum(s => s.Count) >= sent + crew + mates));
        await evening.CancelAsync();
        await Task.WhenAll(post, life).ContinueWith(_ => { }, TaskScheduler.Default);
        Assert.False(post.IsFaulted, post.Exception?.ToString());
        Assert.False(life.IsFaulted, life.Exception?.ToString());
        // What was on its way arrives, and a straggler pass sees it.
        foreach (var person in people.Concat(others))
            await TestService.UntilAsync(
                async () =>
                    doings
                        .Sent[person]
                        .Where(id => id.StartsWith("evening", StringComparison.Ordinal))
                        .TakeLast(3)
                        .All((await world.NewIdsAsync(person)).Select(m => m.Id).Contains),
                60
            );
        foreach (var batch in new[] { "crew", "mates" })
        {
            await service.RunAsync("catch-up", batch, "--wait");
            await TestService.UntilAsync(
                async () => (await service.MovesAsync(batch)).TrueForAll(m => m.Condition is MoveCondition.Idle),
                60
            );
        }
        foreach (var person in people.Concat(others))
            await CompareAsync(world, doings, person);
        var moves = (await service.MovesAsync("crew")).Concat(await service.MovesAsync("mates")).ToList();
        Assert.All(moves, m => Assert.Equal(MoveStage.Settling, m.Stage));
        Assert.Equal(0, moves.Sum(m => m.Counts.LeftBehind));
    }

    private static async Task SendAsync(
        CrossingWorld world,
        Doings doings,
        IReadOnlyList<string> everybody,
        int crew,
        int number,
        string when
    )
    {
        var at = number % everybody.Count;
        var domain = at < crew ? CrossingWorld.OldDomain : CrossingWorld.OtherOldDomain;
        var id = $"{when}-{number}@outside.example";
        await world.SendAsync($"{everybody[at]}@{domain}", id, $"{when} {number}", Cancel);
        doings.Sent[everybody[at]].Add(id);
    }

    private static async Task PostAsync(
        CrossingWorld world,
        Doings doings,
        string[] people,
        string[] others,
        TimeSpan pause,
        CancellationToken cancel
    )
    {
        for (var i = 0; !cancel.IsCancellationRequested; i++)
        {
            await SendAsync(world, doings, [.. people, .. others], people.Length, i, "evening");
            await Task.Delay(pause, cancel).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }
    }

    /// <summary>Now and then somebody reads, moves or deletes a message on the new side.</summary>
    private static async Task LiveAsync(CrossingWorld world, Doings doings, string person, CancellationToken cancel)
    {
        using var imap = await world.AtNewAsync(person);
        await imap.RunAsync("CREATE Sorted");
        await imap.RunAsync("CREATE \"Deleted Items\"");
        for (var i = 0; !cancel.IsCancellationRequested; i++)
        {
            await Task.Delay(TimeSpan.FromMilliseconds(700), cancel).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            var inbox = (await imap.ReadFolderAsync("INBOX")).Where(m => !IsProbe(m)).ToList();
            if (inbox.Count < 4)
                continue;
            var message = inbox[i % inbox.Count];
            var id = CrossingWorld.IdOf(message.Octets);
            await imap.RunAsync("SELECT INBOX");
            switch (i % 3)
            {
                case 0:
                    await imap.RunAsync($"UID STORE {message.Uid} +FLAGS (\\Seen)");
                    doings.Read.TryAdd(id, 0);
                    break;
                case 1:
                    await imap.RunAsync($"UID MOVE {message.Uid} Sorted");
                    break;
                default:
                    // Into the trash, as most programs do it.
                    await imap.RunAsync($"UID MOVE {message.Uid} \"Deleted Items\"");
                    break;
            }
        }
    }

    /// <summary>
    /// Habits die slowly: they read, sort and tidy up where they always did. What came right before they crossed they leave alone: moved at
    /// that moment it would be carried only half an hour later.
    /// </summary>
    private static async Task LiveOnOldSideAsync(CrossingWorld world, Doings doings, string person, CancellationToken cancel)
    {
        using var imap = await world.AtOldAsync(person);
        await imap.RunAsync("CREATE Kept");
        await imap.RunAsync("CREATE \"Old bin\"");
        for (var i = 0; !cancel.IsCancellationRequested; i++)
        {
            await Task.Delay(TimeSpan.FromMilliseconds(900), cancel).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            var inbox = (await imap.ReadFolderAsync("INBOX"))
                .Where(m =>
                    !IsProbe(m) && (doings.HasCrossed || CrossingWorld.IdOf(m.Octets).StartsWith("early", StringComparison.Ordinal))
                )
                .ToList();
            if (inbox.Count == 0)
                continue;
            var message = inbox[^1];
            await imap.RunAsync("SELECT INBOX");
            await imap.RunAsync(
                (i % 3) switch
                {
                    0 => $"UID STORE {message.Uid} +FLAGS (\\Flagged)",
                    1 => $"UID MOVE {message.Uid} Kept",
                    _ => $"UID MOVE {message.Uid} \"Old bin\"",
                }
            );
        }
    }

    private static bool IsProbe(StoredMessage message) => CrossingWorld.IdOf(message.Octets).StartsWith("probe.", StringComparison.Ordinal);

    private static async Task CompareAsync(CrossingWorld world, Doings doings, string person)
    {
        var there = await world.NewIdsAsync(person);
        Assert.DoesNotContain(there, m => m.Id.StartsWith("probe.", StringComparison.Ordinal));
        var twice = there
            .GroupBy(m => m.Id)
            .Where(g => g.Count() > 1)
            .Select(g => $"{g.Key} in {string.Join(", ", g.Select(m => m.Folder))}");
        Assert.True(!twice.Any(), $"{person} has twice: {string.Join("; ", twice)}");
        var lost = doings.Sent[person].Except(there.Select(m => m.Id)).ToList();
        Assert.True(lost.Count == 0, $"{person} has lost: {string.Join(", ", lost)}");
        using var imap = await world.AtNewAsync(person);
        foreach (var folder in await imap.ListFoldersAsync())
        foreach (var message in await imap.ReadFolderAsync(folder))
            if (doings.Read.ContainsKey(CrossingWorld.IdOf(message.Octets)))
                Assert.Contains("\\Seen", message.Flags, StringComparison.Ordinal);
    }
}
