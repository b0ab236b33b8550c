using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>A folder to be carried.</summary>
/// <param name="There">The folder on the to side; null when it has yet to be made.</param>
/// <param name="Estimate">Messages that probably have to be settled: known for sure once the folder is opened.</param>
public sealed record FolderWork(FolderLanding Landing, FolderState? There, long Estimate)
{
    /// <summary>The ledger's page, where there is one that still holds.</summary>
    public LedgerFolder? Page { get; init; }

    /// <summary>Folders above it that are missing on the to side as well, and are made with it.</summary>
    public IReadOnlyList<FolderPath> MissingAbove { get; init; } = [];

    /// <summary>Numbers that were settled by another folder's copy and are to be settled anew.</summary>
    public NumberSet Reopened { get; init; } = new();

    /// <summary>What happened in it since its page was complete; null where it has to be looked at whole.</summary>
    public FolderChange? Change { get; init; }

    /// <summary>Messages that have to be looked at.</summary>
    public long Messages => Change?.Fresh.Count ?? Landing.From.Cursor?.Count ?? 0;
}
