using System.Text;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Peers;
using EasyCaravan.Protocols.ManageSieve;

namespace EasyCaravan.Peers.Tests;

/// <summary>Forwarding by mail rules on two real servers, seen by a client of the tests' own.</summary>
public sealed class ForwardingTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example",
        New = "aoife@northquay.example";

    private static readonly byte[] s_own = Encoding.UTF8.GetBytes(
        "require [\"fileinto\", \"vacation\"];\r\n# Mine, with an é, and no end of line at the end\r\n"
            + "if header :contains \"subject\" \"tide\" { fileinto \"Tide\"; stop; }\r\nvacation :days 7 \"Gone to sea.\";"
    );

    private DovecotServer? _dovecot;
    private CyrusServer? _cyrus;

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    public ValueTask InitializeAsync() => ValueTask.CompletedTask;

    public async ValueTask DisposeAsync()
    {
        if (_dovecot is not null)
            await _dovecot.DisposeAsync();
        if (_cyrus is not null)
            await _cyrus.DisposeAsync();
    }

    private async Task<int> StartAsync(string server)
    {
        if (server == "cyrus")
        {
            _cyrus = await CyrusServer.StartAsync([(Aoife, TwoServers.Password)]);
            // It makes an account at its first sign-in.
            using var first = await PlainImap.SignInAsync(_cyrus.Port, Aoife, TwoServers.Password);
            return _cyrus.SievePort;
        }
        _dovecot = await DovecotServer.StartAsync('/', new DovecotManners(Sieve: true));
        _dovecot.SetUser(Aoife, TwoServers.Password);
        return _dovecot.SievePort;
    }

    private static async Task<IForwardingRules> OpenAsync(int port) =>
        await ManageSieveAccount.OpenAsync(
            new Core.Planning.Service(
                "lanternpost",
                new MailConnection(MailProtocol.Imap, "127.0.0.1", 1, Security.None),
                new SignIn.Password(null),
                new Trust.System(),
                Limits.Default
            )
            {
                Rules = new RulesConnection("127.0.0.1", port, Security.None),
            },
            new Credentials(Aoife, Aoife, TwoServers.Password),
            null,
            null,
            Cancel
        );

    [Theory]
    [InlineData("dovecot", true)]
    [InlineData("dovecot", false)]
    [InlineData("cyrus", true)]
    [InlineData("cyrus", false)]
    public async Task Own_rules_stay_octet_for_octet_and_everything_is_restored_whatever_was_cut_off(string server, bool canInclude)
    {
        var port = await StartAsync(server);
        using var witness = await PlainSieve.SignInAsync(port, Aoife, TwoServers.Password);
        await witness.PutAsync("mine", s_own);
        await witness.ActivateAsync("mine");
        await using var real = await OpenAsync(port);
        var rules = new CuttingRules(real) { CanInclude = canInclude };
        var forwarding = new Forwarding(rules, Aoife);

        var (active, facts) = await forwarding.LookAsync(Cancel);
        Assert.Equal(("mine", true, true), (active, facts.Answers, facts.Files));
        var record = (await forwarding.PrepareAsync(New, true, null, Cancel)).Rules;
        Assert.Equal(["*mine"], await witness.ListAsync());
        Assert.Equal(s_own, record.Before.ToArray());

        await UntilDoneAsync(rules, () => forwarding.SwitchOnAsync(record, Cancel));
        Assert.Equal(["*" + ForwardingScript.Name, "mine"], await witness.ListAsync());
        Assert.Equal(s_own, await witness.ReadAsync("mine"));
        Assert.Equal(ForwardingState.On, await forwarding.StateAsync(record, Cancel));
        Assert.Contains(new SieveRedirect(New, true, true), (await forwarding.LookAsync(Cancel)).Facts.Redirects);

        await UntilDoneAsync(rules, async () => Assert.Null(await forwarding.SwitchOffAsync(record, Cancel)));
        Assert.Equal(["*mine"], await witness.ListAsync());
        Assert.Equal(s_own, await witness.ReadAsync("mine"));
    }

    [Theory]
    [InlineData("dovecot")]
    [InlineData("cyrus")]
    public async Task Without_own_rules_none_are_there_afterwards_and_what_the_owner_does_meanwhile_is_theirs(string server)
    {
        var port = await StartAsync(server);
        using var witness = await PlainSieve.SignInAsync(port, Aoife, TwoServers.Password);
        // As the service does: each act in a session of its own. One that lasts does not see all that others do on Cyrus.
        var forwarding = new FreshForwarding(() => OpenAsync(port));
        var record = await forwarding.PrepareAsync(New, false, Cancel);
        await forwarding.SwitchOnAsync(record, Cancel);
        await forwarding.SwitchOnAsync(record, Cancel);
        Assert.Null(await forwarding.SwitchOffAsync(record, Cancel));
        Assert.Empty(await witness.ListAsync());

        // The owner activates rules of their own between looking and switching: nothing is set.
        record = await forwarding.PrepareAsync(New, true, Cancel);
        await witness.PutAsync("mine", s_own);
        await witness.ActivateAsync("mine");
        var changed = await Assert.ThrowsAsync<FaultException>(() => forwarding.SwitchOnAsync(record, Cancel));
        Assert.Equal(Cause.RulesChanged, changed.Fault.Cause);
        Assert.Equal(["*mine"], await witness.ListAsync());

        // The owner changes their rules, or activates them, while ours forward: both stay as they want it.
        record = await forwarding.PrepareAsync(New, true, Cancel);
        await forwarding.SwitchOnAsync(record, Cancel);
        var other = "keep;\r\n"u8.ToArray();
        await witness.PutAsync("mine", other);
        Assert.Contains("changed the script mine", await forwarding.SwitchOffAsync(record, Cancel), StringComparison.Ordinal);
        Assert.Equal(other, await witness.ReadAsync("mine"));
        record = await forwarding.PrepareAsync(New, true, Cancel);
        await forwarding.SwitchOnAsync(record, Cancel);
        await witness.PutAsync("holiday", other);
        await witness.ActivateAsync("holiday");
        Assert.Equal(ForwardingState.Replaced, await forwarding.StateAsync(record, Cancel));
        Assert.Contains("activated the script holiday", await forwarding.SwitchOffAsync(record, Cancel), StringComparison.Ordinal);
        Assert.Equal(["*holiday", "mine"], await witness.ListAsync());
    }

    [Theory]
    [InlineData("dovecot")]
    [InlineData("cyrus")]
    public async Task An_automatic_answer_is_taken_by_real_servers_and_goes_with_the_forwarding(string server)
    {
        var port = await StartAsync(server);
        var forwarding = new FreshForwarding(() => OpenAsync(port));
        var answer = new AddressMessage("Neue Adresse: \"Hafenbüro\"", "Bitte an new@northquay.example\n.\nschreiben \\ danke");
        var record = await forwarding.PrepareAsync(New, true, Cancel, answer);
        await forwarding.SwitchOnAsync(record, Cancel);
        using var witness = await PlainSieve.SignInAsync(port, Aoife, TwoServers.Password);
        Assert.Contains("vacation", Encoding.UTF8.GetString(await witness.ReadAsync(ForwardingScript.Name)), StringComparison.Ordinal);
        Assert.Null(await forwarding.SwitchOffAsync(record, Cancel));
        Assert.Equal(ForwardingState.Off, await forwarding.StateAsync(record, Cancel));
    }

    [Fact]
    public async Task What_the_server_does_not_take_is_said_before_anything_is_changed()
    {
        var port = await StartAsync("dovecot");
        await using var rules = await OpenAsync(port);
        var refused = await Assert.ThrowsAsync<FaultException>(() => rules.CheckAsync("require \"teleport\";\r\n"u8.ToArray(), Cancel));
        Assert.Equal(Cause.RulesRefused, refused.Fault.Cause);
        Assert.Contains("teleport", refused.Fault.What, StringComparison.Ordinal);
        Assert.Empty(await rules.ListAsync(Cancel));
        await Assert.ThrowsAsync<FaultException>(() => new Forwarding(rules, Aoife).PrepareAsync("no address", true, null, Cancel));
    }

    private sealed class FreshForwarding(Func<Task<IForwardingRules>> open)
    {
        public Task<ForwardingRecord> PrepareAsync(string to, bool keepsCopy, CancellationToken cancel, AddressMessage? answer = null) =>
            RunAsync(async f => (await f.PrepareAsync(to, keepsCopy, answer, cancel)).Rules);

        public Task<ForwardingState> StateAsync(ForwardingRecord record, CancellationToken cancel) =>
            RunAsync(f => f.StateAsync(record, cancel));

        public Task SwitchOnAsync(ForwardingRecord record, CancellationToken cancel) =>
            RunAsync(async f =>
            {
                await f.SwitchOnAsync(record, cancel);
                return true;
            });

        public Task<string?> SwitchOffAsync(ForwardingRecord record, CancellationToken cancel) =>
            RunAsync(f => f.SwitchOffAsync(record, cancel));

        private async Task<T> RunAsync<T>(Func<Forwarding, Task<T>> act)
        {
            await using var rules = await open();
            return await act(new Forwarding(rules, Aoife));
        }
    }

    /// <summary>Cuts it off before and after each change that it makes, and begins anew, until it comes to its end.</summary>
    private static async Task UntilDoneAsync(CuttingRules rules, Func<Task> act)
    {
        for (var cut = 0; ; cut++)
        {
            rules.CutAt = cut;
            try
            {
                await act();
                rules.CutAt = null;
                return;
            }
            catch (OperationCanceledException)
            {
                Assert.True(cut < 20, "it comes to no end");
            }
        }
    }

    /// <summary>The rules of a real account, cut off at a change of them as a service that is killed there would be.</summary>
    private sealed class CuttingRules(IForwardingRules inner) : IForwardingRules
    {
        private int? _cutAt;
        private int _changes;

        public int? CutAt
        {
            set => (_cutAt, _changes) = (value, 0);
        }

        public required bool CanInclude { get; init; }

        public IReadOnlySet<string> Extensions => CanInclude ? inner.Extensions : inner.Extensions.Where(e => e != "include").ToHashSet();

        public Task<IReadOnlyList<RuleScript>> ListAsync(CancellationToken cancel) => inner.ListAsync(cancel);

        public Task<ReadOnlyMemory<byte>> ReadAsync(string name, CancellationToken cancel) => inner.ReadAsync(name, cancel);

        public Task CheckAsync(ReadOnlyMemory<byte> script, CancellationToken cancel) => inner.CheckAsync(script, cancel);

        public Task WriteAsync(string name, ReadOnlyMemory<byte> script, CancellationToken cancel) =>
            CutAsync(() => inner.WriteAsync(name, script, cancel));

        public Task ActivateAsync(string? name, CancellationToken cancel) => CutAsync(() => inner.ActivateAsync(name, cancel));

        public Task RemoveAsync(string name, CancellationToken cancel) => CutAsync(() => inner.RemoveAsync(name, cancel));

        public ValueTask DisposeAsync() => ValueTask.CompletedTask;

        private async Task CutAsync(Func<Task> change)
        {
            if (_cutAt == _changes++)
                throw new OperationCanceledException();
            await change();
            if (_cutAt == _changes++)
                throw new OperationCanceledException();
        }
    }
}
