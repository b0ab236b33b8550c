using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests;

/// <summary>A place of parcels below a folder of its own.</summary>
internal sealed class TestPlace : IDisposable
{
    public const string Account = "aoife.marsh@saltmarsh.example";

    public TestPlace() => Places = new ParcelPlaces(Folder, TimeProvider.System);

    public string Folder { get; } = Directory.CreateTempSubdirectory("places").FullName;

    public ParcelPlaces Places { get; }

    public static Service Service { get; } =
        new("archive", null, new Core.Planning.SignIn.Password(null), new Trust.System(), Limits.Default)
        {
            Parcels = new ParcelPlace("parcels", ParcelPlace.UsualName),
        };

    public static Credentials Reads { get; } = new(Account, Account, "");

    public static Credentials Packs { get; } = Reads with { Origin = new Origin("lanternpost", []) };

    public void Dispose() => Directory.Delete(Folder, recursive: true);
}

/// <summary>The mail of a parcel that is packed.</summary>
public sealed class ParcelAccountContractTests : MailAccountContract, IDisposable
{
    private readonly TestPlace _place = new();

    protected override Task<IMailAccount> OpenAsync() => Task.FromResult(_place.Places.OpenMail(TestPlace.Service, TestPlace.Packs));

    protected override async Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        await using var account = await OpenAsync();
        await account.CreateFoldersAsync([new NewFolder(Folder, SpecialUse.None, true)], None);
        var writer = await account.AddMessagesAsync([Folder], 1, None);
        await writer.BeginAsync(0, new ItemInfo(1, new(octets.Length), received, FlagSet.Parse(flags)), new(octets.Length), octets, None);
        await writer.EndAsync(None);
        await writer.FinishAsync(None);
    }

    public void Dispose() => _place.Dispose();
}

/// <summary>The address books of a parcel that is packed.</summary>
public class ParcelContactsContractTests : CollectionAccountContract, IDisposable
{
    private readonly TestPlace _place = new();

    protected override Kind Kind => Kind.Contacts;

    protected override Task<ICollectionAccount> OpenAsync() =>
        Task.FromResult(_place.Places.OpenCollections(TestPlace.Service, Kind, TestPlace.Packs));

    public void Dispose()
    {
        GC.SuppressFinalize(this);
        _place.Dispose();
    }
}

/// <summary>And its calendars.</summary>
public sealed class ParcelCalendarsContractTests : ParcelContactsContractTests
{
    protected override Kind Kind => Kind.Calendars;
}
