using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Tests.Shared;

/// <summary>How each refusal of a service reaches the caller: for accounts whose service can be made to refuse on demand.</summary>
public abstract class RefusalContract : MailAccountContract
{
    /// <summary>From now on the service refuses in this way.</summary>
    protected abstract Task RefuseAsync(Refusal refusal);

    protected enum Refusal
    {
        /// <summary>Messages over 1,000 octets.</summary>
        TooLarge,

        /// <summary>The account has room for fewer than 1,000 octets.</summary>
        NoRoom,

        /// <summary>A folder's name: <c>refused</c>.</summary>
        FolderName,

        /// <summary>The connection ends at the next message.</summary>
        Cut,
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task A_message_that_is_too_large_is_refused_in_its_receipt(int batchSize) =>
        await AssertRefusedAsync(Refusal.TooLarge, Cause.MessageTooLarge, batchSize);

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task A_full_account_refuses_in_the_receipt(int batchSize) =>
        await AssertRefusedAsync(Refusal.NoRoom, Cause.NoRoom, batchSize);

    [Fact]
    public async Task A_folder_that_is_refused_is_a_fault_after_which_the_session_goes_on()
    {
        await using var account = await OpenAsync();
        await RefuseAsync(Refusal.FolderName);
        var fault = await Assert.ThrowsAsync<FaultException>(() =>
            account.CreateFoldersAsync([new NewFolder(FolderPath.Of("refused"), SpecialUse.None, false)], None)
        );
        Assert.Equal(Verdict.Keep, fault.Verdict);
        Assert.Equal(FaultAction.AskPerson, fault.Fault.Action);
        Assert.NotEmpty(await account.ListFoldersAsync(None));
    }

    [Fact]
    public async Task A_connection_that_ends_is_a_fault_after_which_the_session_is_over()
    {
        await using var account = await OpenWithMessagesAsync();
        var numbers = await account.ListNumbersAsync(Folder, None);
        await RefuseAsync(Refusal.Cut);
        var fault = await Assert.ThrowsAsync<FaultException>(() => ReadAsync(account, Folder, numbers));
        Assert.Equal((Cause.ConnectionLost, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    private async Task AssertRefusedAsync(Refusal refusal, Cause cause, int batchSize)
    {
        await using var account = await OpenAsync();
        await account.CreateFoldersAsync([new NewFolder(Folder, SpecialUse.None, true)], None);
        await RefuseAsync(refusal);
        var large = Messages[^1];
        var receipts = await AddAsync(account, [Folder], batchSize, 2, i => i == 0 ? Messages[0] : large);
        var refused = receipts.Single(r => r.Number == 2);
        Assert.Equal((cause, null), (refused.Refused!.Cause, refused.Landed));
        // What is refused in company may stay outside with it; nothing is there that no receipt tells of.
        Assert.Equal(receipts.Count(r => r.Refused is null), (await account.ListNumbersAsync(Folder, None)).Count);
        Assert.True(receipts.Single(r => r.Number == 1).Refused is null || batchSize > 1);
    }
}
