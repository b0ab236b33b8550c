using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>One person's mail in files, which can only be read.</summary>
internal sealed class FileMailAccount(
    string service,
    string account,
    SourceTree tree,
    IReadOnlyList<FileMailFolder> folders,
    IReadOnlyList<MailRemark> remarks,
    IItemNumbers numbers
) : LocalMailAccount
{
    /// <summary>Messages that are numbered in one transaction.</summary>
    private const int NumberedAtATime = 5000;

    public override IReadOnlyList<MailRemark> Remarks => remarks;

    protected override string Account => account;

    protected override IReadOnlyList<LocalFolder> Folders(bool withItems) => folders;

    protected override async ValueTask PrepareAsync(IEnumerable<Core.Planning.FolderPath> paths, CancellationToken cancel)
    {
        foreach (var path in paths)
            if (folders.FirstOrDefault(f => f.Path.Equals(path)) is { Refused: null } folder)
                await folder.NumberAsync(async names =>
                {
                    var all = new List<uint>(names.Count);
                    foreach (var some in names.Chunk(NumberedAtATime))
                        all.AddRange(await numbers.NumberAsync(service, account, some, cancel));
                    return all;
                });
    }

    protected override T Do<T>(Func<T> work)
    {
        try
        {
            return work();
        }
        catch (Exception e) when (MailFilePlaces.IsOne(e))
        {
            throw MailFilePlaces.Refused(service, account, e);
        }
    }

    public override ValueTask DisposeAsync()
    {
        tree.Dispose();
        return ValueTask.CompletedTask;
    }
}
