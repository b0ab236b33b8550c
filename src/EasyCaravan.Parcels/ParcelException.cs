namespace EasyCaravan.Parcels;

/// <summary>What is wrong with an archive. Closed: every map over it is exhaustive.</summary>
public enum ParcelCause
{
    /// <summary>The file is not there.</summary>
    Missing,

    /// <summary>The file is no archive, or its end is missing.</summary>
    NoArchive,

    /// <summary>The archive contradicts itself, or its octets are not those that were written.</summary>
    Damaged,

    /// <summary>An entry would lie outside of the archive's own folder, or its name means something else on some machines.</summary>
    UnsafeName,

    /// <summary>It would unpack to far more than it seems to hold, or holds more entries than is allowed.</summary>
    TooMuch,

    /// <summary>It is packed or encrypted in a way that is not read here.</summary>
    NotSupported,

    /// <summary>It is encrypted, and the password is missing or another one.</summary>
    WrongPassword,

    /// <summary>It is an archive, but no parcel.</summary>
    NoParcel,
}

/// <summary>An archive or a parcel that cannot be used as it is.</summary>
/// <param name="cause">Which kind of thing it is.</param>
/// <param name="what">One sentence without a full stop, safe to show.</param>
public sealed class ParcelException(ParcelCause cause, string what, Exception? inner = null) : Exception(what, inner)
{
    public ParcelCause Cause => cause;
}
