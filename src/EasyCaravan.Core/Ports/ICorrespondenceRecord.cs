using EasyCaravan.Core.Crossing;
using NodaTime;

namespace EasyCaravan.Core.Ports;

/// <summary>What is to be done with a note that tells of the new address. Kept by number.</summary>
public enum NoteWay
{
    /// <summary>It is put among the person's drafts, to be looked at and sent by them.</summary>
    Draft,

    /// <summary>It is sent in the person's name, because they said so.</summary>
    Send,
}

/// <summary>What became of a note to one correspondent. Kept by number.</summary>
public enum NoteState
{
    /// <summary>It is to be sent.</summary>
    Wanted,

    /// <summary>It was handed over, or nobody knows: it is not sent again.</summary>
    Sending,

    Sent,

    /// <summary>The server did not take it.</summary>
    Refused,

    /// <summary>It stands in a draft of the person.</summary>
    Drafted,
}

/// <param name="Id">Its number in the store.</param>
public sealed record NoteTo(long Id, string Address, string Name);

/// <param name="Key">Of what was asked for: the same when it is tried again, another one when somebody asks anew.</param>
/// <param name="To">Who has not been written to.</param>
public sealed record NoteWanted(NoteWay Way, string Key, IReadOnlyList<NoteTo> To);

/// <summary>What is kept of the people with whom one person exchanges mail. All writes prove the lease first.</summary>
public interface ICorrespondenceRecord
{
    /// <summary>Since when mail is to be counted; null: nobody asked, or it was done.</summary>
    Task<Instant?> WantedSinceAsync(CancellationToken cancel);

    /// <summary>Takes the place of what was counted before; who was written to stays known.</summary>
    Task KeepAsync(IReadOnlyList<Correspondent> people, long messages, CancellationToken cancel);

    /// <summary>Null: no note is to be written.</summary>
    Task<NoteWanted?> NoteAsync(CancellationToken cancel);

    /// <summary>What became of the note to one of them, before it is handed over and after.</summary>
    Task NoteIsAsync(long correspondent, NoteState state, string? said, CancellationToken cancel);
}
