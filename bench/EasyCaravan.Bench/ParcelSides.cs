using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Parcels;

namespace EasyCaravan.Bench;

/// <summary>Parcels in place of a server on one of the two sides.</summary>
/// <param name="Pack">The folder into which accounts are packed; null: the to side is a server.</param>
/// <param name="Open">The folder out of which they come; null: the from side is a server.</param>
internal sealed record ParcelSides(string? Pack, string? Open)
{
    private static readonly Service s_service = new("parcels", null, new SignIn.Password(null), new Trust.System(), Limits.Default)
    {
        Parcels = new ParcelPlace("parcels", "{account}"),
    };

    public bool IsAny => (Pack ?? Open) is not null;

    public ParcelPlaces Places { get; } = new(Pack ?? Open ?? Path.GetTempPath(), TimeProvider.System);

    public Side? From(string account) => Open is null ? null : new Side(s_service, new Credentials(account, account, ""));

    public Side? To(string account) => Pack is null ? null : new Side(s_service, Packing(account));

    /// <summary>As the service keeps a parcel open for as long as a pass takes.</summary>
    public IDisposable? Stay(string account) => Pack is null ? null : Places.Stay(s_service, Packing(account));

    public void EndRun(string account)
    {
        if (Pack is not null)
            Places.EndRun(s_service, Packing(account));
    }

    private static Credentials Packing(string account) => new(account, account, "") { Origin = new Origin("a", []) };
}
