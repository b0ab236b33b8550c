using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>Opens mail that lies in files below one folder; nothing outside of it is ever read, and nothing in it is written.</summary>
/// <param name="indexes">Where it is kept what was found in files.</param>
public sealed class MailFilePlaces(string files, string indexes, IItemNumbers numbers, TimeProvider time)
{
    /// <exception cref="FaultException">No file of this account is there, or they cannot be read.</exception>
    public async Task<IMailAccount> OpenAsync(Service service, Credentials who, CancellationToken cancel)
    {
        var place = service.MailFiles!;
        var tree = new SourceTree(Path.GetFullPath(files));
        try
        {
            // Reading gigabytes for the first time takes a while, and no thread of the web server.
            var (folders, remarks) = await Task.Run(
                () =>
                {
                    var index = MailIndex.Load(Path.Combine(indexes, MailIndex.NameOf(service.Name, who.Account)), place, time.GetUtcNow());
                    var search = new MailFolders(tree, place, index, who.Account, cancel);
                    var found = search.Find();
                    index.Save();
                    return (found, search.Remarks);
                },
                cancel
            );
            if (folders.Count == 0)
                throw new FaultException(
                    new Fault(Cause.AccountNotFound, who.Account, $"no file fits {place.PatternOf(who.Account)} below {files}")
                    {
                        Help = "Put the files there, or correct 'file' in the plan or the account in the roster, then retry",
                        Service = service.Name,
                    },
                    Verdict.Close
                );
            return new FileMailAccount(service.Name, who.Account, tree, folders, remarks, numbers);
        }
        catch (Exception e)
        {
            tree.Dispose();
            if (IsOne(e))
                throw Refused(service.Name, who.Account, e);
            throw;
        }
    }

    /// <summary>Whether the folder of files is there, and how many files fit the pattern for everybody.</summary>
    public int Look(Service service)
    {
        try
        {
            using var tree = new SourceTree(Path.GetFullPath(files));
            var pattern = service.MailFiles!.Pattern.Replace("{account}", "*", StringComparison.Ordinal);
            return service.MailFiles.Speaks is MailFileFormat.Maildir ? tree.Folders(pattern).Count : tree.Files(pattern).Count;
        }
        catch (Exception e) when (IsOne(e))
        {
            throw Refused(service.Name, service.Name, e);
        }
    }

    internal static bool IsOne(Exception e) => e is IOException or UnauthorizedAccessException or InvalidDataException or ParcelException;

    internal static FaultException Refused(string service, string whom, Exception e) =>
        new(
            new Fault(Cause.PlaceRefused, whom, $"the files cannot be read: {e.Message}")
            {
                Help = "Let the service read the files and the folders above them, then retry",
                Service = service,
            },
            Verdict.Close,
            e
        );
}
