namespace EasyCaravan.Peers.Dav;

/// <summary>The same servers, of which Cyrus sends through a Postfix, where one can run.</summary>
public sealed class SendingDavServers : DavServers
{
    private PostfixServer? _postfix;

    /// <summary>Messages that Cyrus gave to Postfix, and recipients to whom Postfix passed them on.</summary>
    public (int Accepted, int Recipients) Counted => (_postfix?.Accepted ?? Sent.Recipients.Count, Sent.Recipients.Count);

    protected override async Task<int> SmtpPortAsync()
    {
        if (!PostfixServer.CanRun)
            return Sent.Port;
        _postfix = await PostfixServer.StartAsync(Sent.Port);
        return _postfix.Port;
    }

    public override async ValueTask DisposeAsync()
    {
        await base.DisposeAsync();
        if (_postfix is not null)
            await _postfix.DisposeAsync();
    }
}
