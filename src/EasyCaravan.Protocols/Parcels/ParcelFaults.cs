using EasyCaravan.Core.Pacing;
using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>The one place that says what goes wrong with a parcel's files means for a move.</summary>
internal static class ParcelFaults
{
    private const int NoSpaceLeft = 28;
    private const int QuotaExceeded = 122;

    /// <summary>What goes wrong with files, and nothing else.</summary>
    public static bool IsOne(Exception e) => e is ParcelException or IOException or UnauthorizedAccessException;

    /// <param name="place">The folder, as the plan has it.</param>
    public static Fault Of(Exception e, string whom, string place) =>
        e switch
        {
            ParcelException { Cause: ParcelCause.WrongPassword } wrong => new Fault(Cause.SignInRefused, whom, wrong.Message)
            {
                Help = "Set the password with which it was packed as the account's secret (caravan secret set, or the roster's column)",
            },
            ParcelException { Cause: ParcelCause.Missing } missing => new Fault(Cause.AccountNotFound, whom, missing.Message)
            {
                Help = $"Put it into {place}, or correct the account in the roster and apply the plan, then retry",
            },
            ParcelException other => new Fault(Cause.FileDamaged, whom, other.Message),
            IOException { HResult: NoSpaceLeft or QuotaExceeded } => new Fault(Cause.NoRoom, whom, $"the disk under {place} is full")
            {
                Help = $"Make room on the disk under {place}, or name another place in the plan; it then goes on where it was",
            },
            UnauthorizedAccessException => new Fault(Cause.PlaceRefused, whom, $"{place} does not let the service in: {e.Message}"),
            _ => new Fault(Cause.PlaceRefused, whom, $"{place} cannot be used: {e.Message}"),
        };
}
