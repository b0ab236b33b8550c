namespace EasyCaravan.Core.Planning;

/// <summary>
/// Changes that may be made to a contact or an event so that the new side takes it. Each is allowed by the route, counted, and named on the
/// waybill. Kept by number: new ones come last.
/// </summary>
[Flags]
public enum ItemShapings
{
    None = 0,

    /// <summary>The new side is told to send no invitation for it (RFC 6638 §7.1).</summary>
    ScheduleAgent = 1,

    /// <summary>It gets a UID, made from its content.</summary>
    MissingUid = 2,

    /// <summary>It gets a PRODID (RFC 5545 §3.7.3).</summary>
    MissingProdid = 4,

    /// <summary>A contact gets the FN or N that it lacks, from what it has.</summary>
    MissingName = 8,

    /// <summary>METHOD is left out, which is for invitations on their way (RFC 4791 §4.1).</summary>
    Method = 16,

    /// <summary>It gets a UID of its own beside the one that is there: somebody chose to keep both.</summary>
    AnotherUid = 32,

    /// <summary>A vCard of version 2.1 or 4.0 is written as version 3.0.</summary>
    VcardVersion = 64,

    /// <summary>An event that takes no time gets a minute, one without a time of day its day (RFC 5545 §3.6.1).</summary>
    NoDuration = 128,

    /// <summary>An object that holds events of several UIDs becomes one object for each (RFC 4791 §4.1).</summary>
    SplitUids = 256,
}
